//! Steps, the head of the memory, channels, and when a sample is taken.

use super::super::text::Text;
use super::{Unit, one_bit};

impl Unit<'_> {
    /// The step of each clock, the head of the memory, the channel, and when a sample is taken.
    pub(super) fn control(&self) -> String {
        let mut text = Text::default();
        text.comment("Which clock of which sample. `free` is high where another sample may begin");
        text.comment("behind this clock, `opens` in the first clock of one, which writes it.");
        for name in ["running", "free", "opens"] {
            text.register(name, 1);
        }
        text.register("step", self.step_bits);
        text.register("head", self.slot_bits);
        text.register("sample", self.checked.input().width());
        if self.channel_bits > 0 {
            text.register("channel", self.channel_bits);
        }
        if self.clears() {
            text.register("clearing", 1);
        }
        self.ready(&mut text);
        text.line(1, "always @(posedge clk) begin");
        if self.waits() {
            let bits = self.owed_bits();
            let (takes, gives) = (one_bit("takes", bits), one_bit("gives", bits));
            text.line(2, format!("owed <= owed + {takes} - {gives};"));
        }
        self.steps(&mut text);
        self.turning(&mut text);
        self.reset(&mut text);
        text.line(1, "end");
        if !self.clears() {
            text.line(1, format!("initial head = {}'d0;", self.slot_bits));
        }
        text.finish()
    }

    fn clears(&self) -> bool {
        self.scheduled.resources().clears_memory
    }

    /// When a sample is taken.
    fn ready(&self, text: &mut Text) {
        let mut conditions = vec!["free".to_owned()];
        if self.waits() {
            let bits = self.owed_bits();
            text.comment("Samples that were taken and not yet given: there is a place for each.");
            text.register("owed", bits);
            text.line(1, "wire gives = out_valid && out_ready;");
            conditions.push(format!("owed != {bits}'d{}", self.scheduled.output_words()));
        }
        if self.stores() {
            text.comment(
                "The first clock of a sample writes it; the memory has one port for that.",
            );
            conditions.push(format!("!stores_{}", self.depth - 1));
        }
        text.line(1, format!("assign in_ready = {};", conditions.join(" && ")));
        text.line(1, "wire takes = in_valid && in_ready;");
        if self.channel_bits > 0 {
            let last = self.scheduled.resources().channels - 1;
            text.line(1, format!("wire wraps = channel == {}'d{last};", self.channel_bits));
        }
    }

    fn steps(&self, text: &mut Text) {
        let (bits, interval) = (self.step_bits, self.scheduled.interval());
        // A sample of one clock leaves the next one free at once.
        let stays = u8::from(interval == 1);
        text.line(2, "opens <= takes;");
        text.line(2, "if (takes) begin");
        text.line(3, "running <= 1'b1;");
        text.line(3, format!("free <= 1'b{stays};"));
        text.line(3, format!("step <= {bits}'d0;"));
        text.line(3, "sample <= in_data;");
        text.line(2, "end else if (running) begin");
        text.line(3, format!("step <= step + {bits}'d1;"));
        if let Some(before) = interval.checked_sub(2) {
            text.line(3, format!("if (step == {bits}'d{before}) free <= 1'b1;"));
        }
        text.line(3, "if (free) running <= 1'b0;");
        text.line(2, "end");
    }

    /// The head and the channel, in samples and while the memory is cleared.
    fn turning(&self, text: &mut Text) {
        let (slots, bits) = (self.slot_bits, self.channel_bits);
        let mut turns = if bits == 0 { "takes" } else { "takes && wraps" }.to_owned();
        if self.clears() {
            turns = format!("clearing || {turns}");
        }
        text.line(2, format!("if ({turns}) head <= head - {slots}'d1;"));
        if bits > 0 {
            text.line(2, format!("if (takes) channel <= wraps ? {bits}'d0 : channel + {bits}'d1;"));
        }
        if !self.clears() {
            return;
        }
        text.line(2, format!("if (clearing && head == {slots}'d0) begin"));
        let last = self.scheduled.resources().channels - 1;
        if bits > 0 {
            text.line(
                3,
                format!("channel <= channel == {bits}'d0 ? {bits}'d{last} : channel - {bits}'d1;"),
            );
            text.line(3, format!("if (channel == {bits}'d0) begin"));
            text.line(4, "clearing <= 1'b0;");
            text.line(4, "free <= 1'b1;");
            text.line(3, "end");
        } else {
            text.line(3, "clearing <= 1'b0;");
            text.line(3, "free <= 1'b1;");
        }
        text.line(2, "end");
    }

    fn reset(&self, text: &mut Text) {
        let bits = self.channel_bits;
        text.line(2, "if (rst) begin");
        text.line(3, "running <= 1'b0;");
        text.line(3, "opens <= 1'b0;");
        text.line(3, format!("free <= 1'b{};", u8::from(!self.clears())));
        if self.clears() {
            text.line(3, "clearing <= 1'b1;");
            text.line(3, format!("head <= {{{}{{1'b1}}}};", self.slot_bits));
            text.line(3, format!("sample <= {}'d0;", self.checked.input().width()));
        }
        if self.waits() {
            text.line(3, format!("owed <= {}'d0;", self.owed_bits()));
        }
        if bits > 0 {
            // Cleared from the last place on; otherwise the first channel is next.
            let channel = match self.clears() {
                true => format!("{{{bits}{{1'b1}}}}"),
                false => format!("{bits}'d{}", self.scheduled.resources().channels - 1),
            };
            text.line(3, format!("channel <= {channel};"));
        }
        text.line(2, "end");
    }
}
