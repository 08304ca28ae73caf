//! What was run, and whether it is what was designed.

use crate::Document;
use crate::numbers::number;
use mellow_rake::verify::{ComparisonResult, Proof, StimulusResult, TargetResult};

/// The account of a proof.
pub fn proof(proof: &Proof) -> Document {
    let rows: Vec<Vec<String>> = proof
        .stimuli
        .iter()
        .map(|result| {
            let error = &result.error;
            let limits = match error.limited_samples {
                0 => String::new(),
                count => format!("limits {count}"),
            };
            let verdict = match (result.within_bound, result.reaches_min_ser) {
                (false, _) => format!("BEYOND BOUND {limits}"),
                (true, Some(false)) => format!("BELOW min_ser {limits}"),
                (true, _) if limits.is_empty() => "ok".to_owned(),
                (true, _) => limits,
            };
            vec![
                result.name.to_owned(),
                result.samples.to_string(),
                number(error.ser_db, 1),
                number(error.predicted_ser_db, 1),
                number(Some(error.rms_lsb), 2),
                number(error.predicted_rms_lsb, 2),
                number(Some(error.largest_lsb), 1),
                number(error.bound_lsb, 1),
                verdict,
            ]
        })
        .collect();
    let header =
        ["stimulus", "samples", "SER dB", "pred.", "rms LSB", "pred.", "max LSB", "bound", "note"];
    // Nothing is predicted of a filter in floating point.
    let is_shown = |column: &usize| proof.float.is_none() || header[*column] != "pred.";
    let columns: Vec<usize> = (0..header.len()).filter(is_shown).collect();
    let header: Vec<&str> = columns.iter().map(|column| header[*column]).collect();
    let shown = |row: Vec<String>| columns.iter().map(|column| row[*column].clone()).collect();
    let rows: Vec<Vec<String>> = rows.into_iter().map(shown).collect();
    let mut text = Document::of(&match proof.float {
        None => "Integers against floating point (error in steps of the output word)\n".to_owned(),
        Some(format) => format!(
            "In {format} against the design in twice double precision (LSB: 2^{}, the step of \
             {format} at 1)\n",
            1 - format.significant_bits() as i32
        ),
    });
    text.table(&header, &rows);
    if proof.stimuli.iter().any(|result| result.error.limited_samples > 0) {
        text.lines(
            "  limits N: saturation or wrap acted in N samples; there the two differ by design.\n",
        );
    }
    let off = |result: &&StimulusResult| {
        let error = &result.error;
        let pair = error.ser_db.zip(error.predicted_ser_db);
        pair.is_some_and(|(measured, predicted)| (measured - predicted).abs() > 1.0)
    };
    let names: Vec<&str> = proof.stimuli.iter().filter(off).map(|result| result.name).collect();
    if !names.is_empty() {
        text.lines(&format!(
            "  More than 1 dB off the prediction: {}. The noise model takes rounding errors for white,\n  \
             which single impulses and the silence after them do not give; the bound holds all the same.\n",
            names.join(", ")
        ));
    }
    if let Some(least) = proof.min_ser_db {
        text.lines(&format!(
            "  min_ser {least} dB applies to the recording and to half-scale noise.\n"
        ));
    }
    // Of one that is proved beside another the targets are that one's.
    if proof.targets.is_empty() {
        return text;
    }
    text.lines(match proof.float {
        None => "\nWhat runs against the bit-true simulator, integer for integer\n",
        Some(_) => "\nWhat runs against the bit-true simulator, bit for bit of every number\n",
    });
    let width =
        proof.targets.iter().map(|target| target.title.len() + 1).max().unwrap_or(0).max(16);
    for target in &proof.targets {
        text.append(target_text(target, width));
    }
    text
}

/// One target: what was run, or why not. Names are so wide.
fn target_text(target: &TargetResult, width: usize) -> Document {
    let what = match target.verdict {
        "equal" => format!(
            ": {} samples in {} runs ({})",
            target.samples,
            target.comparisons.len(),
            target.tool.as_deref().unwrap_or("")
        ),
        "different" => String::new(),
        _ => format!(": {}", target.reason.as_deref().unwrap_or("")),
    };
    let mut text = Document::of(&format!("  {:<width$} {}{what}", target.title, target.verdict));
    if target.verdict == "equal" {
        for cut in target.comparisons.iter().filter(|result| result.left_out > 0) {
            let ComparisonResult { stimulus, comparison, left_out, .. } = cut;
            text.lines(&format!(
                "    {stimulus}: the first {} samples; {left_out} more were not run, to keep it short",
                comparison.samples
            ));
        }
    }
    if target.verdict == "different" {
        for result in target.comparisons.iter().filter(|result| !result.equal()).take(3) {
            text.lines(&difference(result));
        }
    }
    text
}

/// The first differing sample of a run.
fn difference(result: &ComparisonResult) -> String {
    let word = |word: Option<i64>| word.map_or("nothing".to_owned(), |word| word.to_string());
    let ComparisonResult { stimulus, manner, comparison, own_mismatches, .. } = result;
    match comparison.first {
        Some(first) => format!(
            "    {stimulus}, {manner}: {} of {} samples differ; first at sample {}: expected {}, found {}\n",
            comparison.differing,
            comparison.samples,
            first.sample,
            word(first.expected),
            word(first.found)
        ),
        None => format!(
            "    {stimulus}, {manner}: the words are equal, but the test bench counted {} mismatches\n",
            own_mismatches.unwrap_or(0)
        ),
    }
}
