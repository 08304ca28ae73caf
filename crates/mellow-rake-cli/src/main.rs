//! `mrake`: from what a filter should do to proven C, Rust, Verilog and VHDL.

mod arguments;
mod bench;
mod command;
mod failure;
mod figures;
mod load;
mod print;
mod work;

use arguments::{Arguments, Command};
use clap::Parser;
use failure::Outcome;
use std::process::ExitCode;

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    // Interrupted, it leaves no program running and no half of a file. 128 and the number of the signal, as
    // shells have it.
    let interrupted = ctrlc::set_handler(|| {
        mellow_rake_rig::end_all();
        mellow_rake_files::abandon_unfinished();
        std::process::exit(130);
    });
    if let Err(error) = interrupted {
        eprintln!("mrake: interruptions will not be heard: {error}");
    }
    let result = match &arguments.command {
        Command::Demo(options) => command::demo::run(options),
        Command::New(options) => command::new::run(options),
        Command::Design(options) if options.watch => command::watch::run(options),
        Command::Design(options) => command::design::run(options),
        Command::Compare(options) => command::compare::run(options),
        Command::Sensitivity(options) => command::sensitivity::run(options),
        Command::Quantize(options) => command::quantize::run(options),
        Command::Signal(options) => command::signal::run(options),
        Command::Inspect(options) => command::inspect::run(options),
        Command::Measure(options) => command::measure::run(options),
        Command::Cost(options) => command::cost::run(options),
        Command::Generate(options) => command::generate::run(options),
        Command::Verify(options) => command::verify::run(options),
        Command::Run(options) => command::run::run(options),
    };
    match result {
        Ok(Outcome::Held) => ExitCode::SUCCESS,
        Ok(Outcome::Missed) => ExitCode::from(1),
        Err(failure) => {
            print::failure(&failure);
            ExitCode::from(2)
        }
    }
}
