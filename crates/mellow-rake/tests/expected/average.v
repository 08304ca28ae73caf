// Written by Mellow Rake 0.1.0; change the spec, not this file.
//
// The program, in the terms of the comments below:
//
//   in s16f15, out s16f15
//   table taps s8f7: 16 16 16 16 16 16 16 16
//   line x s16f15: 1 row, ages 1 to 7
//   n0 s16f15 = input
//   n1 s16f15 = store n0 in x[0]
//   n2 s24f22 = sum +dot(taps[0][0..8], x[0] ages 0..8)
//   n3 s16f15 = round n2, drop 7 bits, half-up
//   n4 s16f15 = limit n3, saturate, cannot act
//   out = n4
//
// A sample is taken at each rising clock edge with in_valid high; its output stands on out_data, with
// out_valid high, 1 clock later. rst is synchronous and clears the memory.
`default_nettype none

module average (
    input  wire clk,
    input  wire rst,
    input  wire in_valid,
    input  wire [15:0] in_data,  // s16f15
    output reg  out_valid,
    output reg  [15:0] out_data  // s16f15
);

    // s8f7, from the right: h[0], h[1], ...
    wire [63:0] TAPS = {
        8'h10, 8'h10, 8'h10, 8'h10, 8'h10, 8'h10, 8'h10, 8'h10
    };

    // Memory: row by row, the newest word lowest.
    reg [111:0] x; // 1 x 7 words of s16f15
    reg [111:0] x_next;

    // The words of the program. Not all bits of all words are used: dropping them is what rounding is.
    // verilator lint_off UNUSED
    reg [15:0] n0;
    reg [23:0] n2;
    reg [7:0] n2_c0;
    reg [15:0] n2_w0;
    reg [23:0] n2_p0;
    reg [15:0] n3;
    reg [16:0] n3_f;
    reg [15:0] n4;
    integer k;
    // verilator lint_on UNUSED

    always @* begin
        x_next = x;
        n0 = in_data; // s16f15
        n2 = 24'd0; // s24f22
        n2_c0 = TAPS[7:0];
        n2_w0 = n0;
        n2_p0 = $signed(n2_c0) * $signed(n2_w0);
        n2 = n2 + n2_p0;
        for (k = 0; k < 7; k = k + 1) begin
            n2_c0 = TAPS[8 * (k + 1) +: 8];
            n2_w0 = x[16 * k +: 16];
            n2_p0 = $signed(n2_c0) * $signed(n2_w0);
            n2 = n2 + n2_p0;
        end
        n3_f = n2[23:7];
        n3 = n3_f[15:0] + {15'd0, n2[6]}; // s16f15
        n4 = n3; // s16f15
        x_next[0 +: 112] = {x[0 +: 96], n0};
    end

    always @(posedge clk) begin
        if (rst) begin
            out_valid <= 1'b0;
            out_data <= 16'h0000;
            x <= {112{1'b0}};
        end else begin
            out_valid <= in_valid;
            if (in_valid) begin
                out_data <= n4;
                x <= x_next;
            end
        end
    end
endmodule

`default_nettype wire
