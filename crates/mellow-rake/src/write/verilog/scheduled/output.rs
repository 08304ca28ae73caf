//! Where results wait until they are taken.

use super::super::text::{Text, range};
use super::Unit;

impl Unit<'_> {
    /// Where results wait until they are taken, the oldest first; where they cannot wait, the last one.
    pub(super) fn output(&self, word: &str) -> String {
        let (depth, width) = (self.depth, self.checked.output().width());
        let mut text = Text::default();
        text.gap();
        text.comment("The output.");
        if !self.waits() {
            text.line(1, "always @(posedge clk) begin");
            text.line(2, format!("out_valid <= delivers_{depth};"));
            text.line(2, format!("if (delivers_{depth}) out_data <= {word};"));
            text.line(2, "if (rst) out_valid <= 1'b0;");
            text.line(1, "end");
            return text.finish();
        }
        let places = self.scheduled.output_words();
        text.line(1, format!("wire {}given = {word};", range(width)));
        for place in 1..places {
            let (valid, data) = place_names(place);
            text.register(&valid, 1);
            text.register(&data, width);
        }
        text.line(1, "always @(posedge clk) begin");
        for place in 0..places {
            self.place(place, &mut text);
        }
        text.line(2, "if (rst) begin");
        for place in 0..places {
            text.line(3, format!("{} <= 1'b0;", place_names(place).0));
        }
        text.line(2, "end");
        text.line(1, "end");
        text.finish()
    }

    /// One place: what is behind it moves up when the first is given; a result goes to the first empty one.
    fn place(&self, place: usize, text: &mut Text) {
        let comes = format!("delivers_{}", self.depth);
        let (valid, data) = place_names(place);
        let (next, waiting) = place_names(place + 1);
        text.line(2, "if (gives) begin");
        if place + 1 < self.scheduled.output_words() {
            text.line(3, format!("{valid} <= {next} || ({comes} && {valid});"));
            text.line(3, format!("{data} <= {next} ? {waiting} : given;"));
        } else {
            text.line(3, format!("{valid} <= {comes} && {valid};"));
            text.line(3, format!("{data} <= given;"));
        }
        text.line(2, format!("end else if (!{valid}) begin"));
        match place.checked_sub(1).map(place_names) {
            Some((before, _)) => text.line(3, format!("{valid} <= {comes} && {before};")),
            None => text.line(3, format!("{valid} <= {comes};")),
        }
        text.line(3, format!("{data} <= given;"));
        text.line(2, "end");
    }
}

/// The mark and the word of a place; the first is the output itself.
fn place_names(place: usize) -> (String, String) {
    match place {
        0 => ("out_valid".to_owned(), "out_data".to_owned()),
        _ => (format!("waits_{place}"), format!("waiting_{place}")),
    }
}
