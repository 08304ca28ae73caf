-- Written by Mellow Rake 0.1.0; change the spec, not this file.
--
-- The program, in the terms of the comments below:
--
--   in s16f15, out s16f15
--   table taps s8f7: 16 16 16 16 16 16 16 16
--   line x s16f15: 1 row, ages 1 to 7
--   n0 s16f15 = input
--   n1 s16f15 = store n0 in x[0]
--   n2 s24f22 = sum +dot(taps[0][0..8], x[0] ages 0..8)
--   n3 s16f15 = round n2, drop 7 bits, half-up
--   n4 s16f15 = limit n3, saturate, cannot act
--   out = n4
--
-- A sample is taken at each rising clock edge with in_valid high; its output stands on out_data, with
-- out_valid high, 1 clock later. rst is synchronous and clears the memory.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity average is
    port (
        clk : in std_logic;
        rst : in std_logic;
        in_valid : in std_logic;
        in_data : in std_logic_vector(15 downto 0); -- s16f15
        out_valid : out std_logic;
        out_data : out std_logic_vector(15 downto 0) -- s16f15
    );
end entity average;

architecture rtl of average is
    -- s8f7, h[0] first: y[n] = h[0] x[n] + h[1] x[n-1] + ...
    type taps_table_words is array (0 to 7) of signed(7 downto 0);
    constant TAPS_TABLE : taps_table_words := (
        8x"10", 8x"10", 8x"10", 8x"10", 8x"10", 8x"10", 8x"10", 8x"10"
    );

    -- 1 x 7 words of s16f15, row by row, the newest first
    type x_memory is array (0 to 6) of signed(15 downto 0);
    signal x : x_memory;
begin
    process (clk)
        variable n0 : signed(15 downto 0);
        variable n2 : signed(23 downto 0);
        variable n2_c0 : signed(7 downto 0);
        variable n2_w0 : signed(15 downto 0);
        variable n2_p0 : signed(23 downto 0);
        variable n3 : signed(15 downto 0);
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
                    n2 := (others => '0'); -- s24f22
                    n2_c0 := TAPS_TABLE(0);
                    n2_w0 := n0;
                    n2_p0 := n2_c0 * n2_w0;
                    n2 := n2 + n2_p0;
                    for k in 0 to 6 loop
                        n2_c0 := TAPS_TABLE(k + 1);
                        n2_w0 := x(k);
                        n2_p0 := n2_c0 * n2_w0;
                        n2 := n2 + n2_p0;
                    end loop;
                    n3_f := n2(23 downto 7);
                    n3 := n3_f(15 downto 0); -- s16f15
                    if n2(6) = '1' then
                        n3 := n3 + 1;
                    end if;
                    n4 := n3; -- s16f15
                    for k in 1 to 6 loop
                        x(k) <= x(k - 1);
                    end loop;
                    x(0) <= n0;
                    out_data <= std_logic_vector(n4);
                end if;
            end if;
        end if;
    end process;
end architecture rtl;
