//! What generated C takes on processor cores.

use crate::Document;
use mellow_rake::verify::CoreCost;

/// The cores with what a filter takes on each, and those that were not run with the reason.
pub fn cores(name: &str, rows: &[&CoreCost], not_run: &[(&str, &str)]) -> Document {
    let mut page = Document::of(&format!("{name} in C on processor cores"));
    let row = |row: &&CoreCost| {
        vec![
            row.title.trim_start_matches("C, ").to_owned(),
            row.level.to_owned(),
            format!("{:.1}", row.step_instructions),
            format!("{:.1}", row.block_instructions),
            row.code_bytes.to_string(),
            row.filter_bytes.to_string(),
            row.stack_bytes.to_string(),
        ]
    };
    let header = ["core", "level", "step", "block", "code", "filter", "stack"];
    if !rows.is_empty() {
        page.table(&header, &rows.iter().map(row).collect::<Vec<_>>());
        page.gap();
    }
    if let Some(CoreCost { block, .. }) = rows.first() {
        page.paragraph(
            &format!(
                "  step, block: instructions for a sample, one at a call and {block} at a call, with \
                 the call and the loop around it; a core takes more than a clock for some"
            ),
            4,
        );
        let bytes = "  code, filter, stack: bytes of code and constants, of the words of a stream, of \
                     stack at most";
        page.paragraph(bytes, 4);
    }
    let mut tools: Vec<&str> = rows.iter().map(|row| row.tool.as_str()).collect();
    tools.dedup();
    for tool in tools {
        page.paragraph(&format!("  {tool}"), 4);
    }
    for (core, why) in not_run {
        page.paragraph(&format!("  {core}: not run: {why}"), 4);
    }
    page
}
