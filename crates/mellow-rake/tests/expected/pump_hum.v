// Written by Mellow Rake 0.1.0; change the spec, not this file.
//
// The program, in the terms of the comments below:
//
//   in s16f15, out s16f15
//   table section s16f14: 16131 -27507 16131 -27507 15877
//   line x s16f15: 1 row, ages 1 to 2
//   line y s16f15: 1 row, ages 1 to 2
//   n0 s16f15 = input
//   n1 s16f15 = store n0 in x[0]
//   n2 s33f29 = sum +dot(section[0][0..3], x[0] ages 0..3) -dot(section[0][3..5], y[0] ages 1..3)
//   n3 s19f15 = round n2, drop 14 bits, half-up
//   n4 s16f15 = limit n3, saturate, may act
//   n5 s16f15 = store n4 in y[0]
//   out = n4
//
// A sample is taken at each rising clock edge with in_valid high; its output stands on out_data, with
// out_valid high, 1 clock later. rst is synchronous and clears the memory.
`default_nettype none

module pump_hum (
    input  wire clk,
    input  wire rst,
    input  wire in_valid,
    input  wire [15:0] in_data,  // s16f15
    output reg  out_valid,
    output reg  [15:0] out_data  // s16f15
);

    // s16f14, from the right, section by section: b0, b1, b2, a1, a2 of
    // H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2)
    wire [79:0] SECTION = {
        16'h3e05, 16'h948d, 16'h3f03, 16'h948d, 16'h3f03
    };

    // Memory: row by row, the newest word lowest.
    reg [31:0] x; // 1 x 2 words of s16f15
    reg [31:0] x_next;
    reg [31:0] y; // 1 x 2 words of s16f15
    reg [31:0] y_next;

    // The words of the program. Not all bits of all words are used: dropping them is what rounding is.
    // verilator lint_off UNUSED
    reg [15:0] n0;
    reg [32:0] n2;
    reg [15:0] n2_c0;
    reg [15:0] n2_w0;
    reg [31:0] n2_p0;
    reg [15:0] n2_c1;
    reg [15:0] n2_w1;
    reg [31:0] n2_p1;
    reg [18:0] n3;
    reg [18:0] n3_f;
    reg [15:0] n4;
    // verilator lint_on UNUSED

    always @* begin
        x_next = x;
        y_next = y;
        n0 = in_data; // s16f15
        n2 = 33'd0; // s33f29
        n2_c0 = SECTION[15:0];
        n2_w0 = n0;
        n2_p0 = $signed(n2_c0) * $signed(n2_w0);
        n2 = n2 + {{1{n2_p0[31]}}, n2_p0};
        n2_c0 = SECTION[31:16];
        n2_w0 = x[15:0];
        n2_p0 = $signed(n2_c0) * $signed(n2_w0);
        n2 = n2 + {{1{n2_p0[31]}}, n2_p0};
        n2_c0 = SECTION[47:32];
        n2_w0 = x[31:16];
        n2_p0 = $signed(n2_c0) * $signed(n2_w0);
        n2 = n2 + {{1{n2_p0[31]}}, n2_p0};
        n2_c1 = SECTION[63:48];
        n2_w1 = y[15:0];
        n2_p1 = $signed(n2_c1) * $signed(n2_w1);
        n2 = n2 - {{1{n2_p1[31]}}, n2_p1};
        n2_c1 = SECTION[79:64];
        n2_w1 = y[31:16];
        n2_p1 = $signed(n2_c1) * $signed(n2_w1);
        n2 = n2 - {{1{n2_p1[31]}}, n2_p1};
        n3_f = n2[32:14];
        n3 = n3_f + {18'd0, n2[13]}; // s19f15
        n4 = (n3[18] && !(&n3[17:15])) ? 16'h8000 : (!n3[18] && (|n3[17:15])) ? 16'h7fff : n3[15:0]; // s16f15
        x_next[0 +: 32] = {x[0 +: 16], n0};
        y_next[0 +: 32] = {y[0 +: 16], n4};
    end

    always @(posedge clk) begin
        if (rst) begin
            out_valid <= 1'b0;
            out_data <= 16'h0000;
            x <= {32{1'b0}};
            y <= {32{1'b0}};
        end else begin
            out_valid <= in_valid;
            if (in_valid) begin
                out_data <= n4;
                x <= x_next;
                y <= y_next;
            end
        end
    end
endmodule

`default_nettype wire
