// Written by Mellow Rake 0.1.0; change the spec, not this file.
//
// The program, in the terms of the comments below:
//
//   in s16f15, out s16f15
//   table taps s18f19: -599 118 984 -782 -1167 1679 932 -2680 28 3079 -1231 -2662 2129 1423 -1865 -251 322 142 1954 -1947 -3504 5335 3012 -8940 2 10697 -4306 -9306 7468 5192 -6928 -988 1872 376 5807 -6222 -11671 18446 10731 -33344 11 44598 -19413 -46094 42078 34876 -60240 -13011 67186 -13011 -60240 34876 42078 -46094 -19413 44598 11 -33344 10731 18446 -11671 -6222 5807 376 1872 -988 -6928 5192 7468 -9306 -4306 10697 2 -8940 3012 5335 -3504 -1947 1954 142 322 -251 -1865 1423 2129 -2662 -1231 3079 28 -2680 932 1679 -1167 -782 984 118 -599
//   line x s16f15: 1 row, ages 1 to 96
//   n0 s16f15 = input
//   n1 s16f15 = store n0 in x[0]
//   n2 s36f34 = sum +dot(taps[0][0..97], x[0] ages 0..97)
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

    // s18f19, from the right: h[0], h[1], ...
    wire [1745:0] TAPS = {
        18'h3fda9, 18'h00076, 18'h003d8, 18'h3fcf2, 18'h3fb71, 18'h0068f, 18'h003a4, 18'h3f588,
        18'h0001c, 18'h00c07, 18'h3fb31, 18'h3f59a, 18'h00851, 18'h0058f, 18'h3f8b7, 18'h3ff05,
        18'h00142, 18'h0008e, 18'h007a2, 18'h3f865, 18'h3f250, 18'h014d7, 18'h00bc4, 18'h3dd14,
        18'h00002, 18'h029c9, 18'h3ef2e, 18'h3dba6, 18'h01d2c, 18'h01448, 18'h3e4f0, 18'h3fc24,
        18'h00750, 18'h00178, 18'h016af, 18'h3e7b2, 18'h3d269, 18'h0480e, 18'h029eb, 18'h37dc0,
        18'h0000b, 18'h0ae36, 18'h3b42b, 18'h34bf2, 18'h0a45e, 18'h0883c, 18'h314b0, 18'h3cd2d,
        18'h10672, 18'h3cd2d, 18'h314b0, 18'h0883c, 18'h0a45e, 18'h34bf2, 18'h3b42b, 18'h0ae36,
        18'h0000b, 18'h37dc0, 18'h029eb, 18'h0480e, 18'h3d269, 18'h3e7b2, 18'h016af, 18'h00178,
        18'h00750, 18'h3fc24, 18'h3e4f0, 18'h01448, 18'h01d2c, 18'h3dba6, 18'h3ef2e, 18'h029c9,
        18'h00002, 18'h3dd14, 18'h00bc4, 18'h014d7, 18'h3f250, 18'h3f865, 18'h007a2, 18'h0008e,
        18'h00142, 18'h3ff05, 18'h3f8b7, 18'h0058f, 18'h00851, 18'h3f59a, 18'h3fb31, 18'h00c07,
        18'h0001c, 18'h3f588, 18'h003a4, 18'h0068f, 18'h3fb71, 18'h3fcf2, 18'h003d8, 18'h00076,
        18'h3fda9
    };

    // Memory: row by row, the newest word lowest.
    reg [1535:0] x; // 1 x 96 words of s16f15
    reg [1535:0] x_next;

    // The words of the program. Not all bits of all words are used: dropping them is what rounding is.
    // verilator lint_off UNUSED
    reg [15:0] n0;
    reg [35:0] n2;
    reg [17:0] n2_c0;
    reg [15:0] n2_w0;
    reg [33:0] n2_p0;
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
        n2_w0 = n0;
        n2_p0 = {{16{n2_c0[17]}}, n2_c0} * {{18{n2_w0[15]}}, n2_w0};
        n2 = n2 + {{2{n2_p0[33]}}, n2_p0};
        for (k = 0; k < 96; k = k + 1) begin
            n2_c0 = TAPS[18 * (k + 1) +: 18];
            n2_w0 = x[16 * (k) +: 16];
            n2_p0 = {{16{n2_c0[17]}}, n2_c0} * {{18{n2_w0[15]}}, n2_w0};
            n2 = n2 + {{2{n2_p0[33]}}, n2_p0};
        end
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
