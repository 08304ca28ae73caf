//! What lies on the bench: a program on a pipe, or a recording of one.

use crate::arguments::{Measure, Pipe};
use crate::failure::Failure;
use crate::load::{Loaded, Recording};
use mellow_rake::fixed::WordFormat;
use mellow_rake::spec::Fixed;
use mellow_rake_rig::{exchange, run};
use std::process::Command;
use std::time::Duration;

/// Two signals as values, in step.
pub(crate) type Pair = (Vec<f64>, Vec<f64>);

/// Two columns of a recording.
pub(crate) fn recorded(options: &Measure, loaded: &Loaded) -> Result<Pair, Failure> {
    let rate = loaded.study.spec.sample_rate;
    let (Some(path), Some(input), Some(output)) =
        (&options.recording, &options.input, &options.output)
    else {
        return Err(Failure::Call(
            "--recording needs --input and --output, two of its columns".to_owned(),
        ));
    };
    let column = |name: &str| {
        let recording = Recording::file(path, &options.reading, Some(name), Some(rate))?;
        Ok::<_, Failure>(recording.values.reals())
    };
    Ok((column(input)?, column(output)?))
}

/// Words through the program: what went in and what came out, as values.
pub(crate) fn ask(options: &Measure, fixed: Fixed, words: Vec<i64>) -> Result<Pair, Failure> {
    let Some((program, arguments)) = options.device.as_deref().and_then(<[String]>::split_first)
    else {
        return Err(Failure::Call("--device: the name of a program is wanted".to_owned()));
    };
    let mut command = Command::new(program);
    command.args(arguments);
    let limit = Duration::from_secs(options.limit);
    let output = match options.pipe {
        Pipe::Text => exchange(&mut command, &words, limit)?,
        Pipe::Bytes(encoding) => {
            let beyond = || format!("--pipe {encoding}: it does not hold the words of the input");
            let bytes = encoding.encode(&words).ok_or_else(|| Failure::Call(beyond()))?;
            let finished = run(&mut command, &bytes, limit)?;
            encoding.decode(&finished.output).ok_or_else(|| {
                let count = finished.output.len();
                Failure::Call(format!(
                    "{program} printed {count} bytes, which are no whole number of {encoding}"
                ))
            })?
        }
    };
    if output.len() != words.len() {
        return Err(Failure::Call(format!(
            "{program} printed {} samples for {}; one for each is wanted",
            output.len(),
            words.len()
        )));
    }
    let range = fixed.output.minimum()..=fixed.output.maximum();
    let beyond = output.iter().position(|word| !range.contains(&i128::from(*word)));
    if let Some(sample) = beyond {
        return Err(Failure::Call(format!(
            "{program} printed {} as sample {sample}, beyond the output format {}: {} to {}",
            output[sample],
            fixed.output,
            range.start(),
            range.end()
        )));
    }
    let values = |words: Vec<i64>, format: WordFormat| {
        words.into_iter().map(|word| word as f64 * format.step()).collect()
    };
    Ok((values(words, fixed.input), values(output, fixed.output)))
}
