#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| mellow_rake_fuzz_targets::run("coefficients", bytes));
