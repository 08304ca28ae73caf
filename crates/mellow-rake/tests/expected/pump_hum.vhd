-- Written by Mellow Rake 0.1.0; change the spec, not this file.
--
-- The program, in the terms of the comments below:
--
--   in s16f15, out s16f15
--   table section s16f14: 16131 -27507 16131 -27507 15877
--   line x s16f15: 1 row, ages 1 to 2
--   line y s16f15: 1 row, ages 1 to 2
--   n0 s16f15 = input
--   n1 s16f15 = store n0 in x[0]
--   n2 s33f29 = sum +dot(section[0][0..3], x[0] ages 0..3) -dot(section[0][3..5], y[0] ages 1..3)
--   n3 s19f15 = round n2, drop 14 bits, half-up
--   n4 s16f15 = limit n3, saturate, may act
--   n5 s16f15 = store n4 in y[0]
--   out = n4
--
-- A sample is taken at each rising clock edge with in_valid high; its output stands on out_data, with
-- out_valid high, 1 clock later. rst is synchronous and clears the memory.

library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity pump_hum is
    port (
        clk : in std_logic;
        rst : in std_logic;
        in_valid : in std_logic;
        in_data : in std_logic_vector(15 downto 0); -- s16f15
        out_valid : out std_logic;
        out_data : out std_logic_vector(15 downto 0) -- s16f15
    );
end entity pump_hum;

architecture rtl of pump_hum is
    -- s16f14, b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2):
    -- y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]
    type section_table_words is array (0 to 4) of signed(15 downto 0);
    constant SECTION_TABLE : section_table_words := (
        16x"3f03", 16x"948d", 16x"3f03", 16x"948d", 16x"3e05"
    );

    -- 1 x 2 words of s16f15, row by row, the newest first
    type x_memory is array (0 to 1) of signed(15 downto 0);
    signal x : x_memory;

    -- 1 x 2 words of s16f15, row by row, the newest first
    type y_memory is array (0 to 1) of signed(15 downto 0);
    signal y : y_memory;
begin
    process (clk)
        variable n0 : signed(15 downto 0);
        variable n2 : signed(32 downto 0);
        variable n2_c0 : signed(15 downto 0);
        variable n2_w0 : signed(15 downto 0);
        variable n2_p0 : signed(31 downto 0);
        variable n2_c1 : signed(15 downto 0);
        variable n2_w1 : signed(15 downto 0);
        variable n2_p1 : signed(31 downto 0);
        variable n3 : signed(18 downto 0);
        variable n3_f : signed(18 downto 0);
        variable n4 : signed(15 downto 0);
    begin
        if rising_edge(clk) then
            if rst = '1' then
                out_valid <= '0';
                out_data <= (others => '0');
                x <= (others => (others => '0'));
                y <= (others => (others => '0'));
            else
                out_valid <= in_valid;
                if in_valid = '1' then
                    n0 := signed(in_data); -- s16f15
                    n2 := (others => '0'); -- s33f29
                    n2_c0 := SECTION_TABLE(0);
                    n2_w0 := n0;
                    n2_p0 := n2_c0 * n2_w0;
                    n2 := n2 + resize(n2_p0, 33);
                    n2_c0 := SECTION_TABLE(1);
                    n2_w0 := x(0);
                    n2_p0 := n2_c0 * n2_w0;
                    n2 := n2 + resize(n2_p0, 33);
                    n2_c0 := SECTION_TABLE(2);
                    n2_w0 := x(1);
                    n2_p0 := n2_c0 * n2_w0;
                    n2 := n2 + resize(n2_p0, 33);
                    n2_c1 := SECTION_TABLE(3);
                    n2_w1 := y(0);
                    n2_p1 := n2_c1 * n2_w1;
                    n2 := n2 - resize(n2_p1, 33);
                    n2_c1 := SECTION_TABLE(4);
                    n2_w1 := y(1);
                    n2_p1 := n2_c1 * n2_w1;
                    n2 := n2 - resize(n2_p1, 33);
                    n3_f := n2(32 downto 14);
                    n3 := n3_f; -- s19f15
                    if n2(13) = '1' then
                        n3 := n3 + 1;
                    end if;
                    n4 := n3(15 downto 0); -- s16f15
                    if n3 > signed'(19x"07fff") then
                        n4 := 16x"7fff";
                    elsif n3 < signed'(19x"78000") then
                        n4 := 16x"8000";
                    end if;
                    for k in 1 to 1 loop
                        x(k) <= x(k - 1);
                    end loop;
                    x(0) <= n0;
                    for k in 1 to 1 loop
                        y(k) <= y(k - 1);
                    end loop;
                    y(0) <= n4;
                    out_data <= std_logic_vector(n4);
                end if;
            end if;
        end if;
    end process;
end architecture rtl;
