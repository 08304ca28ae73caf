//! `mrake new`

use crate::arguments::New;
use crate::failure::{Failure, Outcome};
use crate::print;
use mellow_rake::spec::{chain_kinds, kinds, template};
use mellow_rake_files::write_whole;
use serde::Serialize;

#[derive(Serialize)]
struct NewObject<'a> {
    kind: &'a str,
    spec: &'static str,
    file: Option<String>,
}

pub(crate) fn run(options: &New) -> Result<Outcome, Failure> {
    let spec = template(&options.kind).ok_or_else(|| {
        Failure::Call(format!(
            "no spec for the kind `{}`; there is: {}; and for stages at several rates: {}",
            options.kind,
            kinds().collect::<Vec<_>>().join(", "),
            chain_kinds().collect::<Vec<_>>().join(", ")
        ))
    })?;
    if let Some(path) = &options.output {
        if path.exists() {
            return Err(Failure::Call(format!("{} is there already and is kept", path.display())));
        }
        write_whole(path, spec.as_bytes())?;
    }
    let file = options.output.as_ref().map(|path| path.display().to_string());
    if options.json {
        print::json(&NewObject { kind: &options.kind, spec, file })?;
    } else if let Some(file) = file {
        print::note(&format!("{file} written; next: mrake design {file}"));
    } else {
        print::text(spec)?;
    }
    Ok(Outcome::Held)
}
