// Written by Mellow Rake 0.1.0; change the spec, not this file.
//
// +stimulus=FILE  input words in hex, one a line
// +expected=FILE  the output words that belong to them
// +observed=FILE  where the words that came out are written (optional)
// The last line printed is RESULT, the number of samples and the number of mismatches.
`default_nettype none

`define FILTER_MODULE pump_hum
`define FILTER_INPUT_WIDTH 16
`define FILTER_OUTPUT_WIDTH 16

module pump_hum_tb;
    reg clk = 1'b0;
    reg rst = 1'b1;
    reg in_valid = 1'b0;
    reg [`FILTER_INPUT_WIDTH - 1:0] in_data = {`FILTER_INPUT_WIDTH{1'b0}};
    wire out_valid;
    wire [`FILTER_OUTPUT_WIDTH - 1:0] out_data;

    reg [`FILTER_OUTPUT_WIDTH - 1:0] expected_word;
    reg [8 * 1024 - 1:0] stimulus_name;
    reg [8 * 1024 - 1:0] expected_name;
    reg [8 * 1024 - 1:0] observed_name;
    reg [15:0] gaps = 16'hace1;
    integer stimulus_file;
    integer expected_file;
    integer observed_file = 0;
    integer samples = 0;
    integer mismatches = 0;
    integer fed = 0;
    integer read;
    reg done = 1'b0;

    `FILTER_MODULE filter (
        .clk(clk),
        .rst(rst),
        .in_valid(in_valid),
        .in_data(in_data),
        .out_valid(out_valid),
        .out_data(out_data)
    );

    always #5 clk = ~clk;

    initial begin
        if (!$value$plusargs("stimulus=%s", stimulus_name)
            || !$value$plusargs("expected=%s", expected_name)) begin
            $display("ERROR +stimulus=FILE and +expected=FILE are needed");
            $finish;
        end
        stimulus_file = $fopen(stimulus_name, "r");
        expected_file = $fopen(expected_name, "r");
        if (stimulus_file == 0 || expected_file == 0) begin
            $display("ERROR a vector file cannot be read");
            $finish;
        end
        if ($value$plusargs("observed=%s", observed_name)) begin
            observed_file = $fopen(observed_name, "w");
        end
        repeat (3) @(negedge clk);
        rst = 1'b0;
        while (!done) begin
            @(negedge clk);
            // Every so often a clock without a sample: the filter must wait.
            gaps = {gaps[14:0], gaps[15] ^ gaps[13] ^ gaps[12] ^ gaps[10]};
            in_valid = 1'b0;
            in_data = ~in_data;
            if (gaps[1:0] != 2'b00) begin
                read = $fscanf(stimulus_file, "%h", in_data);
                if (read == 1) begin
                    in_valid = 1'b1;
                    fed = fed + 1;
                end else begin
                    done = 1'b1;
                end
            end
        end
        repeat (4) @(negedge clk);
        read = $fscanf(expected_file, "%h", expected_word);
        if (samples != fed || read == 1) begin
            $display("ERROR %0d samples in, %0d out, and more expected: %0d", fed, samples, read == 1);
        end
        if (observed_file != 0) begin
            $fclose(observed_file);
        end
        $display("RESULT %0d samples, %0d mismatches", samples, mismatches);
        $finish;
    end

    always @(posedge clk) begin
        if (out_valid) begin
            read = $fscanf(expected_file, "%h", expected_word);
            if (read != 1 || out_data !== expected_word) begin
                mismatches = mismatches + 1;
                if (mismatches == 1) begin
                    $display("MISMATCH sample %0d: expected %h, found %h", samples, expected_word, out_data);
                end
            end
            if (observed_file != 0) begin
                $fdisplay(observed_file, "%h", out_data);
            end
            samples = samples + 1;
        end
    end
endmodule

`default_nettype wire
