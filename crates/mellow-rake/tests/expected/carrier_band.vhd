-- Written by Mellow Rake 0.1.0; change the spec, not this file.
--
-- The program, in the terms of the comments below:
--
--   in s16f15, out s16f15
--   table taps s18f19: -598 119 985 -782 -1166 1680 932 -2679 28 3080 -1231 -2663 2129 1423 -1865 -251 323 142 1954 -1947 -3504 5335 3012 -8940 2 10697 -4306 -9307 7468 5192 -6928 -988 1872 376 5807 -6222 -11671 18446 10732 -33344 10 44598 -19413 -46095 42078 34876 -60241 -13011 67185
--   line x s16f15: 1 row, ages 1 to 96
--   n0 s16f15 = input
--   n1 s16f15 = store n0 in x[0]
--   n2 s36f34 = sum +dot(taps[0][0..48], x[0] ages 0, 1.. + ages 96, 95..) +dot(taps[0][48..49], x[0] ages 48..49)
--   n3 s17f15 = round n2, drop 19 bits, half-up
--   n4 s16f15 = limit n3, saturate, may act
--   out = n4
--
-- A sample is taken at each rising clock edge with in_valid high; its output stands on out_data, with
-- out_valid high, 1 clock later. rst is synchronous and clears the memory.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity carrier_band is
    port (
        clk : in std_logic;
        rst : in std_logic;
        in_valid : in std_logic;
        in_data : in std_logic_vector(15 downto 0); -- s16f15
        out_valid : out std_logic;
        out_data : out std_logic_vector(15 downto 0) -- s16f15
    );
end entity carrier_band;

architecture rtl of carrier_band is
    -- s18f19, each for the two taps at equal distance from the ends; the one in the middle, if any, last
    type taps_table_words is array (0 to 48) of signed(17 downto 0);
    constant TAPS_TABLE : taps_table_words := (
        18x"3fdaa", 18x"00077", 18x"003d9", 18x"3fcf2", 18x"3fb72", 18x"00690", 18x"003a4", 18x"3f589",
        18x"0001c", 18x"00c08", 18x"3fb31", 18x"3f599", 18x"00851", 18x"0058f", 18x"3f8b7", 18x"3ff05",
        18x"00143", 18x"0008e", 18x"007a2", 18x"3f865", 18x"3f250", 18x"014d7", 18x"00bc4", 18x"3dd14",
        18x"00002", 18x"029c9", 18x"3ef2e", 18x"3dba5", 18x"01d2c", 18x"01448", 18x"3e4f0", 18x"3fc24",
        18x"00750", 18x"00178", 18x"016af", 18x"3e7b2", 18x"3d269", 18x"0480e", 18x"029ec", 18x"37dc0",
        18x"0000a", 18x"0ae36", 18x"3b42b", 18x"34bf1", 18x"0a45e", 18x"0883c", 18x"314af", 18x"3cd2d",
        18x"10671"
    );

    -- 1 x 96 words of s16f15, row by row, the newest first
    type x_memory is array (0 to 95) of signed(15 downto 0);
    signal x : x_memory;
begin
    process (clk)
        variable n0 : signed(15 downto 0);
        variable n2 : signed(35 downto 0);
        variable n2_c0 : signed(17 downto 0);
        variable n2_w0 : signed(16 downto 0);
        variable n2_p0 : signed(34 downto 0);
        variable n2_c1 : signed(17 downto 0);
        variable n2_w1 : signed(15 downto 0);
        variable n2_p1 : signed(33 downto 0);
        variable n3 : signed(16 downto 0);
        variable n3_f : signed(16 downto 0);
        variable n4 : signed(15 downto 0);
    begin
        if rising_edge(clk) then
            if rst = '1' then
                out_valid <= '0';
                out_data <= (others => '0');
                x <= (others => (others => '0'));
            else
                out_valid <= in_valid;
                if in_valid = '1' then
                    n0 := signed(in_data); -- s16f15
                    n2 := (others => '0'); -- s36f34
                    n2_c0 := TAPS_TABLE(0);
                    n2_w0 := resize(n0, 17) + resize(x(95), 17);
                    n2_p0 := n2_c0 * n2_w0;
                    n2 := n2 + resize(n2_p0, 36);
                    for k in 1 to 47 loop
                        n2_c0 := TAPS_TABLE(k);
                        n2_w0 := resize(x(k - 1), 17) + resize(x(95 - k), 17);
                        n2_p0 := n2_c0 * n2_w0;
                        n2 := n2 + resize(n2_p0, 36);
                    end loop;
                    n2_c1 := TAPS_TABLE(48);
                    n2_w1 := x(47);
                    n2_p1 := n2_c1 * n2_w1;
                    n2 := n2 + resize(n2_p1, 36);
                    n3_f := n2(35 downto 19);
                    n3 := n3_f; -- s17f15
                    if n2(18) = '1' then
                        n3 := n3 + 1;
                    end if;
                    n4 := n3(15 downto 0); -- s16f15
                    if n3 > signed'(17x"07fff") then
                        n4 := 16x"7fff";
                    elsif n3 < signed'(17x"18000") then
                        n4 := 16x"8000";
                    end if;
                    for k in 1 to 95 loop
                        x(k) <= x(k - 1);
                    end loop;
                    x(0) <= n0;
                    out_data <= std_logic_vector(n4);
                end if;
            end if;
        end if;
    end process;
end architecture rtl;
