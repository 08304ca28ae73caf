    reg clk = 1'b0;
    reg rst = 1'b1;
    reg in_valid = 1'b0;
`ifdef FILTER_READY
    wire in_ready;
`else
    wire in_ready = 1'b1;
`endif
    reg [`FILTER_INPUT_WIDTH - 1:0] in_data = {`FILTER_INPUT_WIDTH{1'b0}};
    wire out_valid;
    reg out_ready = 1'b1;
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
    integer waited = 0;
    integer clock = 0;
    integer taken = 0;
    integer shortest = 0;
    integer read;
    reg done = 1'b0;

`ifdef FILTER_LOADS
    reg load_write = 1'b0;
    reg [`FILTER_ADDRESS_WIDTH - 1:0] load_address = {`FILTER_ADDRESS_WIDTH{1'b0}};
    reg [`FILTER_LOAD_WIDTH - 1:0] load_data = {`FILTER_LOAD_WIDTH{1'b0}};
    // verilator lint_off UNUSED
`ifdef FILTER_PENDING
    wire load_pending;
`endif
    // verilator lint_on UNUSED
    reg [8 * 1024 - 1:0] load_name;
    reg [`FILTER_ADDRESS_WIDTH - 1:0] next_address;
    reg [`FILTER_LOAD_WIDTH - 1:0] next_data;
    integer load_file;
`endif

`ifdef FILTER_STREAM
    // Each word fills whole bytes; what fills them up must not be read.
    wire [`FILTER_SAMPLES * `FILTER_INPUT_BYTES - 1:0] in_bytes;
    wire [`FILTER_SAMPLES * `FILTER_OUTPUT_BYTES - 1:0] out_bytes;
    // What is not as it should be of what fills up the words that come out.
    wire [`FILTER_SAMPLES * `FILTER_OUTPUT_BYTES - 1:0] beyond;
    genvar word;
    generate
        for (word = 0; word < `FILTER_SAMPLES; word = word + 1) begin : words
            wire [`FILTER_INPUT_WORD - 1:0] taken = in_data[word * `FILTER_INPUT_WORD +: `FILTER_INPUT_WORD];
            wire [`FILTER_INPUT_WORD + 7:0] longer = {{8{~taken[`FILTER_INPUT_WORD - 1]}}, taken};
            wire [`FILTER_OUTPUT_BYTES - 1:0] given = out_bytes[word * `FILTER_OUTPUT_BYTES +: `FILTER_OUTPUT_BYTES];
            wire filled = `FILTER_OUTPUT_SIGNED != 0 && given[`FILTER_OUTPUT_WORD - 1];
            assign in_bytes[word * `FILTER_INPUT_BYTES +: `FILTER_INPUT_BYTES] = longer[`FILTER_INPUT_BYTES - 1:0];
            assign out_data[word * `FILTER_OUTPUT_WORD +: `FILTER_OUTPUT_WORD] = given[`FILTER_OUTPUT_WORD - 1:0];
            assign beyond[word * `FILTER_OUTPUT_BYTES +: `FILTER_OUTPUT_BYTES] =
                (given ^ {`FILTER_OUTPUT_BYTES{filled}}) & ({`FILTER_OUTPUT_BYTES{1'b1}} << `FILTER_OUTPUT_WORD);
        end
    endgenerate
`endif

    `FILTER_MODULE filter (
`ifdef FILTER_LOADS
        .load_write(load_write),
        .load_address(load_address),
        .load_data(load_data),
`ifdef FILTER_PENDING
        .load_pending(load_pending),
`endif
`endif
`ifdef FILTER_STREAM
        .aclk(clk),
        .aresetn(~rst),
        .in_tvalid(in_valid),
        .in_tready(in_ready),
        .in_tdata(in_bytes),
        .out_tvalid(out_valid),
        .out_tready(out_ready),
        .out_tdata(out_bytes)
`else
        .clk(clk),
        .rst(rst),
        .in_valid(in_valid),
`ifdef FILTER_READY
        .in_ready(in_ready),
`endif
        .in_data(in_data),
        .out_valid(out_valid),
`ifdef FILTER_WAITS
        .out_ready(out_ready),
`endif
        .out_data(out_data)
`endif
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
`ifdef FILTER_LOADS
        if ($value$plusargs("load=%s", load_name)) begin
            load_file = $fopen(load_name, "r");
            if (load_file == 0) begin
                $display("ERROR the file of coefficients cannot be read");
                $finish;
            end
            // What is read goes to variables that no wire follows from: some simulators do not see that such
            // a wire has changed.
            read = $fscanf(load_file, "%h %h", next_address, next_data);
            while (read == 2) begin
                load_write = 1'b1;
                load_address = next_address;
                load_data = next_data;
                @(negedge clk);
                read = $fscanf(load_file, "%h %h", next_address, next_data);
            end
            load_write = 1'b0;
        end
`endif
        while (!done) begin
            @(negedge clk);
            gaps = {gaps[14:0], gaps[15] ^ gaps[13] ^ gaps[12] ^ gaps[10]};
            // Stretches without a gap, and such with many, in which the word must not be taken. A sample that
            // was offered stays until it is.
            if (!in_valid) begin
                in_data = ~in_data;
                if (gaps[15] || gaps[1:0] == 2'b00) begin
                    read = $fscanf(stimulus_file, "%h", in_data);
                    in_valid = read == 1;
                    done = read != 1;
                end
            end
            // Likewise for what comes out.
            out_ready = gaps[14] || gaps[3:2] == 2'b00;
            if (waited > `FILTER_PATIENCE) begin
                $display("ERROR no sample was taken in %0d clocks", waited);
                $finish;
            end
        end
        out_ready = 1'b1;
        repeat (`FILTER_LATENCY + 4) @(negedge clk);
        read = $fscanf(expected_file, "%h", expected_word);
`ifdef FILTER_CHANGES_RATE
        if (read == 1) begin
`else
        if (samples != fed || read == 1) begin
`endif
            $display("ERROR %0d samples in, %0d out, and more expected: %0d", fed, samples, read == 1);
        end
        if (observed_file != 0) begin
            $fclose(observed_file);
        end
        $display("INTERVAL %0d", shortest);
        $display("RESULT %0d samples, %0d mismatches", samples, mismatches);
        $finish;
    end

    // What is offered is taken in the clocks in which the filter is ready.
    always @(posedge clk) begin
        clock = clock + 1;
        waited = in_valid && !in_ready ? waited + 1 : 0;
        if (!rst && in_valid && in_ready) begin
            if (fed > 0 && (shortest == 0 || clock - taken < shortest)) begin
                shortest = clock - taken;
            end
            taken = clock;
            fed = fed + 1;
            in_valid <= 1'b0;
        end
    end

    always @(posedge clk) begin
`ifdef FILTER_WAITS
        if (out_valid && out_ready) begin
`else
        if (out_valid) begin
`endif
            read = $fscanf(expected_file, "%h", expected_word);
            if (read != 1 || out_data !== expected_word) begin
                mismatches = mismatches + 1;
                if (mismatches == 1) begin
                    $display("MISMATCH sample %0d: expected %h, found %h", samples, expected_word, out_data);
                end
            end
`ifdef FILTER_STREAM
            if (|beyond) begin
                mismatches = mismatches + 1;
            end
`endif
            if (observed_file != 0) begin
                $fdisplay(observed_file, "%h", out_data);
            end
            samples = samples + 1;
        end
    end
endmodule

`default_nettype wire
