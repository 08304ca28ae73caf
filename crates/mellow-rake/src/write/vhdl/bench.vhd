-- ORIGIN
--
-- stimulus: file of input words in hex, one a lineOF_A_CLOCK
-- expected: file of the output words that belong to them
-- observed: file for the words that came out
-- load: file of addresses and words of coefficients in hex, written first; none if it has no name --LOADS
-- The last lines printed are INTERVAL, the fewest clocks between two samples that were taken, and RESULT, the
-- number of samples and the number of mismatches.

library ieee;
use ieee.std_logic_1164.all;
use std.env.finish;
use std.textio.all;

entity FILTER_tb is
    generic (
        stimulus : string := "stimulus.hex";
        expected : string := "expected.hex";
        load : string := ""; --LOADS
        observed : string := "observed.hex"
    );
end entity FILTER_tb;

architecture bench of FILTER_tb is
    signal clk : std_logic := '0';
    signal rst : std_logic := '1';
    signal in_valid : std_logic := '0';
    signal in_ready : std_logic := '1';
    signal in_data : std_logic_vector(INPUT_HIGH downto 0) := (others => '0');
    signal out_valid : std_logic;
    signal out_ready : std_logic := '1';
    signal out_data : std_logic_vector(OUTPUT_HIGH downto 0);
    signal aresetn : std_logic; --STREAM
    signal in_bytes : std_logic_vector(SAMPLES * INPUT_BYTES - 1 downto 0); --STREAM
    signal out_bytes : std_logic_vector(SAMPLES * OUTPUT_BYTES - 1 downto 0); --STREAM
    signal load_write : std_logic := '0'; --LOADS
    signal load_address : std_logic_vector(ADDRESS_HIGH downto 0) := (others => '0'); --LOADS
    signal load_data : std_logic_vector(COEFFICIENT_HIGH downto 0) := (others => '0'); --LOADS
    signal is_taken : boolean := false;
    signal is_late : boolean := false;
    signal is_over : boolean := false;
    signal fed : natural := 0;
    signal shortest : natural := 0;
begin
    dut : entity work.FILTER
        port map (
            clk => clk, --PLAIN
            rst => rst, --PLAIN
            in_valid => in_valid, --PLAIN
            in_ready => in_ready, --READY
            in_data => in_data, --PLAIN
            out_valid => out_valid, --PLAIN
            out_ready => out_ready, --PLAIN-WAITS
            load_write => load_write, --LOADS
            load_address => load_address, --LOADS
            load_data => load_data, --LOADS
            load_pending => open, --PENDING
            out_data => out_data --PLAIN
            aclk => clk, --STREAM
            aresetn => aresetn, --STREAM
            in_tvalid => in_valid, --STREAM
            in_tready => in_ready, --STREAM
            in_tdata => in_bytes, --STREAM
            out_tvalid => out_valid, --STREAM
            out_tready => out_ready, --STREAM
            out_tdata => out_bytes --STREAM
        );

    aresetn <= not rst; --STREAM
    -- Each word fills whole bytes; what fills them up must not be read. --STREAM
    lanes : for lane in 0 to SAMPLES - 1 generate --STREAM
        fill : process (in_data) --STREAM
        begin --STREAM
            in_bytes((lane + 1) * INPUT_BYTES - 1 downto lane * INPUT_BYTES) --STREAM
                <= (others => not in_data((lane + 1) * INPUT_WORD - 1)); --STREAM
            in_bytes(lane * INPUT_BYTES + INPUT_WORD - 1 downto lane * INPUT_BYTES) --STREAM
                <= in_data((lane + 1) * INPUT_WORD - 1 downto lane * INPUT_WORD); --STREAM
        end process; --STREAM
        out_data((lane + 1) * OUTPUT_WORD - 1 downto lane * OUTPUT_WORD) --STREAM
            <= out_bytes(lane * OUTPUT_BYTES + OUTPUT_WORD - 1 downto lane * OUTPUT_BYTES); --STREAM
    end generate; --STREAM

    clk <= not clk after 5 ns;

    -- What is offered is taken in the clocks in which the filter is ready.
    taking : process (clk)
        variable clock : natural := 0;
        variable taken : natural := 0;
        variable waited : natural := 0;
    begin
        if rising_edge(clk) then
            clock := clock + 1;
            is_taken <= false;
            if rst = '0' and in_valid = '1' and in_ready = '1' then
                if fed > 0 and (shortest = 0 or clock - taken < shortest) then
                    shortest <= clock - taken;
                end if;
                taken := clock;
                waited := 0;
                is_taken <= true;
                fed <= fed + 1;
            elsif in_valid = '1' then
                waited := waited + 1;
            end if;
            is_late <= waited > PATIENCE;
        end if;
    end process;

    feed : process
        file words : text open read_mode is stimulus;
        variable entry : line;
        -- As wide as whole digits.
        variable word : std_logic_vector(4 * (INPUT_HIGH / 4) + 3 downto 0);
        variable gaps : std_logic_vector(15 downto 0) := x"ace1";
        variable is_offered : boolean := false;
        file loaded : text; --LOADS
        variable address : std_logic_vector(4 * (ADDRESS_HIGH / 4) + 3 downto 0); --LOADS
        variable value : std_logic_vector(4 * (COEFFICIENT_HIGH / 4) + 3 downto 0); --LOADS
    begin
        for k in 1 to 3 loop
            wait until falling_edge(clk);
        end loop;
        rst <= '0';
        if load'length > 0 then --LOADS
            file_open(loaded, load, read_mode); --LOADS
            while not endfile(loaded) loop --LOADS
                readline(loaded, entry); --LOADS
                hread(entry, address); --LOADS
                hread(entry, value); --LOADS
                load_address <= address(load_address'range); --LOADS
                load_data <= value(load_data'range); --LOADS
                load_write <= '1'; --LOADS
                wait until falling_edge(clk); --LOADS
            end loop; --LOADS
            load_write <= '0'; --LOADS
        end if; --LOADS
        while is_offered or not endfile(words) loop
            wait until falling_edge(clk);
            gaps := gaps(14 downto 0) & (gaps(15) xor gaps(13) xor gaps(12) xor gaps(10));
            -- Stretches without a gap, and such with many, in which the word must not be taken. A sample that
            -- was offered stays until it is.
            if is_taken then
                is_offered := false;
            end if;
            if not is_offered then
                in_valid <= '0';
                in_data <= not in_data;
                if (gaps(15) = '1' or gaps(1 downto 0) = "00") and not endfile(words) then
                    readline(words, entry);
                    hread(entry, word);
                    in_data <= word(in_data'range);
                    in_valid <= '1';
                    is_offered := true;
                end if;
            end if;
            -- Likewise for what comes out. --WAITS
            out_ready <= gaps(14) or not (gaps(3) or gaps(2)); --WAITS
            exit when is_late;
        end loop;
        in_valid <= '0';
        out_ready <= '1';
        for k in 1 to LATENCY + 4 loop
            wait until falling_edge(clk);
        end loop;
        is_over <= true;
        wait;
    end process;

    check : process
        file wanted : text open read_mode is expected;
        file found : text open write_mode is observed;
        variable entry : line;
        variable word : std_logic_vector(4 * (OUTPUT_HIGH / 4) + 3 downto 0);
        variable padded : std_logic_vector(word'range);
        variable samples : natural := 0;
        variable mismatches : natural := 0;
    begin
        while not is_over loop
            wait until rising_edge(clk) or is_over;
            if rising_edge(clk) and out_valid = '1' and out_ready = '1' then
                padded := (others => '0');
                padded(out_data'range) := out_data;
                hwrite(entry, padded);
                writeline(found, entry);
                if endfile(wanted) then
                    mismatches := mismatches + 1;
                else
                    readline(wanted, entry);
                    hread(entry, word);
                    if word(out_data'range) /= out_data then
                        mismatches := mismatches + 1;
                        if mismatches = 1 then
                            write(entry, string'("MISMATCH sample "));
                            write(entry, samples);
                            writeline(output, entry);
                        end if;
                    end if;
                end if;
                for lane in 0 to SAMPLES - 1 loop --STREAM
                    for k in OUTPUT_WORD to OUTPUT_BYTES - 1 loop --STREAM
                        if out_bytes(lane * OUTPUT_BYTES + k) /= FILLED then --STREAM
                            mismatches := mismatches + 1; --STREAM
                        end if; --STREAM
                    end loop; --STREAM
                end loop; --STREAM
                samples := samples + 1;
            end if;
        end loop;
        if samples /= fed or not endfile(wanted) then --ONE-RATE
        if not endfile(wanted) then --RATES
            write(entry, string'("ERROR "));
            write(entry, fed);
            write(entry, string'(" samples in, "));
            write(entry, samples);
            write(entry, string'(" out"));
            writeline(output, entry);
        end if;
        write(entry, string'("INTERVAL "));
        write(entry, shortest);
        writeline(output, entry);
        write(entry, string'("RESULT "));
        write(entry, samples);
        write(entry, string'(" samples, "));
        write(entry, mismatches);
        write(entry, string'(" mismatches"));
        writeline(output, entry);
        finish;
        wait;
    end process;
end architecture bench;
