// Written by Mellow Rake 0.1.0; change the spec, not this file.
//
// The program, in the terms of the comments below:
//
//   in s16f15, out s16f15
//   table taps s18f19: -598 119 985 -782 -1166 1680 932 -2679 28 3080 -1231 -2663 2129 1423 -1865 -251 323 142 1954 -1947 -3504 5335 3012 -8940 2 10697 -4306 -9307 7468 5192 -6928 -988 1872 376 5807 -6222 -11671 18446 10732 -33344 10 44598 -19413 -46095 42078 34876 -60241 -13011 67185
//   line x s16f15: 1 row, ages 1 to 96
//   n0 s16f15 = input
//   n1 s16f15 = store n0 in x[0]
//   n2 s36f34 = sum +dot(taps[0][0..48], x[0] ages 0, 1.. + ages 96, 95..) +dot(taps[0][48..49], x[0] ages 48..49)
//   n3 s17f15 = round n2, drop 19 bits, half-up
//   n4 s16f15 = limit n3, saturate, may act
//   out = n4
//
// A sample is taken at each rising clock edge with in_valid high; its output stands on out_data, with
// out_valid high, 1 clock later. rst is synchronous and clears the memory.
`default_nettype none

module carrier_band (
    input  wire clk,
    input  wire rst,
    input  wire in_valid,
    input  wire [15:0] in_data,  // s16f15
    output reg  out_valid,
    output reg  [15:0] out_data  // s16f15
);

    // s18f19, from the right: each for the two taps at equal distance from the ends; the one in the middle, if any, last
    wire [881:0] TAPS = {
        18'h10671, 18'h3cd2d, 18'h314af, 18'h0883c, 18'h0a45e, 18'h34bf1, 18'h3b42b, 18'h0ae36,
        18'h0000a, 18'h37dc0, 18'h029ec, 18'h0480e, 18'h3d269, 18'h3e7b2, 18'h016af, 18'h00178,
        18'h00750, 18'h3fc24, 18'h3e4f0, 18'h01448, 18'h01d2c, 18'h3dba5, 18'h3ef2e, 18'h029c9,
        18'h00002, 18'h3dd14, 18'h00bc4, 18'h014d7, 18'h3f250, 18'h3f865, 18'h007a2, 18'h0008e,
        18'h00143, 18'h3ff05, 18'h3f8b7, 18'h0058f, 18'h00851, 18'h3f599, 18'h3fb31, 18'h00c08,
        18'h0001c, 18'h3f589, 18'h003a4, 18'h00690, 18'h3fb72, 18'h3fcf2, 18'h003d9, 18'h00077,
        18'h3fdaa
    };

    // Memory: row by row, the newest word lowest.
    reg [1535:0] x; // 1 x 96 words of s16f15
    reg [1535:0] x_next;

    // The words of the program. Not all bits of all words are used: dropping them is what rounding is.
    // verilator lint_off UNUSED
    reg [15:0] n0;
    reg [35:0] n2;
    reg [17:0] n2_c0;
    reg [16:0] n2_w0;
    reg [34:0] n2_p0;
    reg [15:0] n2_a0;
    reg [15:0] n2_b0;
    reg [17:0] n2_c1;
    reg [15:0] n2_w1;
    reg [33:0] n2_p1;
    reg [16:0] n3;
    reg [16:0] n3_f;
    reg [15:0] n4;
    integer k;
    // verilator lint_on UNUSED

    always @* begin
        x_next = x;
        n0 = in_data; // s16f15
        n2 = 36'd0; // s36f34
        n2_c0 = TAPS[17:0];
        n2_a0 = n0;
        n2_b0 = x[1535:1520];
        n2_w0 = {{1{n2_a0[15]}}, n2_a0} + {{1{n2_b0[15]}}, n2_b0};
        n2_p0 = $signed(n2_c0) * $signed(n2_w0);
        n2 = n2 + {{1{n2_p0[34]}}, n2_p0};
        for (k = 1; k < 48; k = k + 1) begin
            n2_c0 = TAPS[18 * k +: 18];
            n2_a0 = x[16 * (k - 1) +: 16];
            n2_b0 = x[16 * (95 - k) +: 16];
            n2_w0 = {{1{n2_a0[15]}}, n2_a0} + {{1{n2_b0[15]}}, n2_b0};
            n2_p0 = $signed(n2_c0) * $signed(n2_w0);
            n2 = n2 + {{1{n2_p0[34]}}, n2_p0};
        end
        n2_c1 = TAPS[881:864];
        n2_w1 = x[767:752];
        n2_p1 = $signed(n2_c1) * $signed(n2_w1);
        n2 = n2 + {{2{n2_p1[33]}}, n2_p1};
        n3_f = n2[35:19];
        n3 = n3_f + {16'd0, n2[18]}; // s17f15
        n4 = (n3[16] && !(&n3[15:15])) ? 16'h8000 : (!n3[16] && (|n3[15:15])) ? 16'h7fff : n3[15:0]; // s16f15
        x_next[0 +: 1536] = {x[0 +: 1520], n0};
    end

    always @(posedge clk) begin
        if (rst) begin
            out_valid <= 1'b0;
            out_data <= 16'h0000;
            x <= {1536{1'b0}};
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
