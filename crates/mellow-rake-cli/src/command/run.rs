//! `mrake run`

use crate::arguments::Run;
use crate::failure::{Failure, Outcome};
use crate::load::{Loaded, Recording};
use crate::print;
use mellow_rake::datapath::Simulator;
use mellow_rake_files::{Column, Values, write_columns, write_whole};
use serde::Serialize;

#[derive(Serialize)]
struct RunObject {
    name: String,
    mode: &'static str,
    input: String,
    output: String,
    column: String,
    samples: usize,
    sample_rate_hz: f64,
    limited_samples: Option<u64>,
    latency_samples: u32,
}

pub(crate) fn run(options: &Run) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    let rate = loaded.spec.sample_rate;
    let recording = Recording::file(&options.input, options.column.as_deref(), rate)?;
    let (before, after, limited) = if options.bit_true {
        let implementation = loaded.need_implementation("run --bit-true")?;
        let words = recording.words(implementation.fixed.input)?;
        let mut simulator = Simulator::new(&implementation.checked);
        let output = simulator.run(&words);
        (Values::Integers(words), Values::Integers(output), Some(simulator.limited_samples()))
    } else {
        let output = loaded.design.form.start().run(&recording.reals());
        (recording.values.clone(), Values::Reals(output), None)
    };
    let samples = before.len();
    let times = (0..samples).map(|n| n as f64 / rate.hertz()).collect();
    let column = |name: String, values| Column { name, values };
    let columns = [
        column("time_s".to_owned(), Values::Reals(times)),
        column(recording.name.clone(), before),
        column(format!("{}_filtered", recording.name), after),
    ];
    write_whole(&options.output, write_columns(&columns).as_bytes())?;
    let mode = if options.bit_true { "bit-true" } else { "floating point" };
    let (input, output) =
        (options.input.display().to_string(), options.output.display().to_string());
    if options.json {
        print::json(&RunObject {
            name: loaded.spec.name.to_string(),
            mode,
            input,
            output,
            column: recording.name,
            samples,
            sample_rate_hz: rate.hertz(),
            limited_samples: limited,
            latency_samples: 0,
        })?;
    } else {
        let limits = match limited {
            Some(count) if count > 0 => format!("; limits acted in {count} samples"),
            Some(_) => "; no limit acted".to_owned(),
            None => String::new(),
        };
        print::text(&format!(
            "{output}: {samples} samples of `{}` through {} ({mode}{limits})\n",
            recording.name, loaded.spec.name
        ))?;
    }
    Ok(Outcome::Held)
}
