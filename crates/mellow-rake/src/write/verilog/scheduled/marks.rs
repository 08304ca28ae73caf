//! What each step is: marks and places, made in the clock of issue, which travel beside the data.

use super::super::field::Field;
use super::super::text::Text;
use super::Unit;
use crate::datapath::Sign;
use crate::hardware::{Instruction, Lane, bits_to};

impl Unit<'_> {
    pub(super) fn field(
        &self,
        name: &str,
        width: u32,
        of: impl Fn(&Instruction) -> Option<u128>,
    ) -> Field {
        let value = |one: &Option<Instruction>| one.as_ref().and_then(&of);
        let values = self.program.instructions.iter().map(value).collect();
        Field { name: name.to_owned(), width, values }
    }

    /// A mark of every clock, 0 where nothing is issued.
    pub(super) fn mark(&self, name: &str, of: impl Fn(&Instruction) -> bool) -> Field {
        let value = |one: &Option<Instruction>| Some(one.as_ref().is_some_and(&of).into());
        let values = self.program.instructions.iter().map(value).collect();
        Field { name: name.to_owned(), width: 1, values }
    }

    /// What each lane needs besides its coefficient and its first word, each with the clock behind the issue
    /// in which it is used; nothing where it is the same in all clocks.
    pub(super) fn lane_fields(&self, lane: usize) -> Vec<(Field, usize)> {
        let second =
            |of: fn((Sign, usize)) -> u128| move |one: &Instruction| one.lanes[lane].second.map(of);
        let bits = bits_to(self.program.alignments.len().max(2) - 1);
        let used = |one: &Instruction| one.lanes[lane].coefficient != 0;
        let named = |name: &str| format!("{name}_{lane}_0");
        let of_lane = |of: fn(&Lane) -> u128| {
            move |one: &Instruction| used(one).then(|| of(&one.lanes[lane]))
        };
        let fields = [
            (self.field(&named("pairs"), 1, of_lane(|lane| lane.second.is_some().into())), 2),
            (self.field(&named("differs"), 1, second(|(sign, _)| (sign == Sign::Minus).into())), 2),
            (
                self.field(&named("aligns"), bits, of_lane(|lane| lane.alignment as u128)),
                self.align_clock(),
            ),
            (
                // A multiplier with nothing to do gives zero: no word passes it.
                self.field(&named("passes"), 1, |one| Some(one.lanes[lane].is_wide.into())),
                self.align_clock(),
            ),
            (
                self.field(&named("negates"), 1, move |one| {
                    let lane = &one.lanes[lane];
                    lane.is_wide.then_some((lane.coefficient < 0).into())
                }),
                self.align_clock(),
            ),
        ];
        fields.into_iter().filter(|(field, _)| field.constant().is_none()).collect()
    }

    /// The clock behind the issue in which products are aligned.
    pub(super) fn align_clock(&self) -> usize {
        self.sum_clock() - self.scheduled.schedule().adder_levels()
    }

    pub(super) fn ending_bits(&self) -> u32 {
        bits_to(self.program.endings.len().max(2) - 1)
    }

    /// What is decided in the clock of issue, and the registers in which it travels.
    pub(super) fn marks(&self) -> String {
        let (bits, depth) = (self.step_bits, self.depth);
        let mut text = Text::default();
        text.gap();
        text.comment(
            "What each step is: its marks, from the clock of issue (_0) on, a register a clock.",
        );
        let mut travels: Vec<(String, u32, usize)> = Vec::new();
        let mut happens = |name: &str, field: Field| {
            let mut step = Text::default();
            step.append(&field.text(bits));
            step.line(1, format!("wire {name}_0 = running && {};", field.name));
            travels.push((name.to_owned(), 1, depth));
            step.finish()
        };
        text.append(&happens("delivers", self.mark("delivers_step", |one| one.delivers)));
        if self.stores() {
            text.append(&happens("stores", self.mark("stores_step", |one| one.place.is_some())));
        }
        // What happens is cleared by a reset; what it is like need not be.
        let cleared = travels.len();
        for (field, until) in self.travelling() {
            text.append(&field.text(bits));
            let stem = field.name.strip_suffix("_0").unwrap_or(&field.name).to_owned();
            travels.push((stem, field.width, until));
        }
        travels.extend(self.places(&mut text));
        for (stem, width, until) in &travels {
            (1..=*until).for_each(|clock| text.register(&format!("{stem}_{clock}"), *width));
        }
        text.register("step_1", bits);
        text.line(1, "always @(posedge clk) begin");
        text.line(2, "step_1 <= step;");
        for lane in 0..self.lanes() {
            text.line(2, format!("first_place_{lane} <= first_slot_{lane} + head;"));
            if self.has_pairs {
                text.line(2, format!("second_place_{lane} <= second_slot_{lane} + head;"));
            }
        }
        for (stem, _, until) in &travels {
            for clock in 1..=*until {
                let from = match (stem.as_str(), clock) {
                    ("result_place", 1) => "result_slot + head".to_owned(),
                    ("channel", 1) => "channel".to_owned(),
                    _ => format!("{stem}_{}", clock - 1),
                };
                text.line(2, format!("{stem}_{clock} <= {from};"));
            }
        }
        text.line(2, "if (rst) begin");
        for (stem, _, until) in &travels[..cleared] {
            (1..=*until).for_each(|clock| text.line(3, format!("{stem}_{clock} <= 1'b0;")));
        }
        text.line(2, "end");
        text.line(1, "end");
        text.finish()
    }

    /// Marks that differ from clock to clock, each with the clock behind the issue in which it is used.
    fn travelling(&self) -> Vec<(Field, usize)> {
        let mut fields = vec![(self.mark("begins_0", |one| one.begins), self.sum_clock())];
        if self.has_pauses {
            fields.push((self.mark("adds_0", |_| true), self.sum_clock()));
        }
        let ending = self.field("ending_0", self.ending_bits(), |one| Some(one.ending as u128));
        fields.push((ending, self.depth - 1));
        fields.extend((0..self.lanes()).flat_map(|lane| self.lane_fields(lane)));
        fields.retain(|(field, _)| field.constant().is_none());
        fields
    }

    /// The places of words, as the head has turned them; those that travel are returned.
    fn places(&self, text: &mut Text) -> Vec<(String, u32, usize)> {
        let slots = self.slot_bits;
        text.gap();
        text.comment("Places in the memory, the head added.");
        let mut place = |stem: &str, lane: usize, of: fn(&Lane) -> Option<usize>| {
            let value = |one: &Instruction| {
                let lane = Some(&one.lanes[lane]).filter(|lane| lane.coefficient != 0);
                lane.and_then(of).map(|slot| slot as u128)
            };
            let field = self.field(&format!("{stem}_slot_{lane}"), slots, value);
            text.append(&field.text(self.step_bits));
            text.register(&format!("{stem}_place_{lane}"), slots);
        };
        for lane in 0..self.lanes() {
            place("first", lane, |lane| Some(lane.first));
            if self.has_pairs {
                place("second", lane, |lane| lane.second.map(|(_, slot)| slot));
            }
        }
        let mut travels = Vec::new();
        if self.stores() {
            let field = self.field("result_slot", slots, |one| one.place.map(|slot| slot as u128));
            text.append(&field.text(self.step_bits));
            travels.push(("result_place".to_owned(), slots, self.depth));
        }
        if self.channel_bits > 0 {
            let until = if self.stores() { self.depth } else { 1 };
            travels.push(("channel".to_owned(), self.channel_bits, until));
        }
        travels
    }
}
