//! What each step is: marks and places, made in the clock of issue, which travel beside the data.

use super::super::field::Field;
use super::super::value::{Kind, Signal, all, fixed_bit, sum};
use super::super::{Items, Statement, when};
use super::Unit;
use crate::datapath::Sign;
use crate::hardware::{CoefficientWords, Instruction, Lane, bits_to};

/// What travels from the clock of issue on: its name without the clock, its bits, and how far.
struct Travel {
    stem: String,
    kind: Kind,
    until: usize,
}

impl Travel {
    fn at(&self, clock: usize) -> Signal {
        Signal::new(format!("{}_{clock}", self.stem), self.kind)
    }
}

impl Unit<'_> {
    pub(super) fn field(
        &self,
        name: &str,
        kind: Kind,
        of: impl Fn(&Instruction) -> Option<u128>,
    ) -> Field {
        let value = |one: &Option<Instruction>| one.as_ref().and_then(&of);
        let values = self.program.instructions.iter().map(value).collect();
        Field { signal: Signal::new(name, kind), values }
    }

    /// A mark of every clock, 0 where nothing is issued.
    pub(super) fn mark(&self, name: &str, of: impl Fn(&Instruction) -> bool) -> Field {
        let value = |one: &Option<Instruction>| Some(one.as_ref().is_some_and(&of).into());
        let values = self.program.instructions.iter().map(value).collect();
        Field { signal: Signal::bit(name), values }
    }

    /// What each lane needs besides its coefficient and its first word, each with the clock behind the issue
    /// in which it is used; nothing where it is the same in all clocks.
    pub(super) fn lane_fields(&self, lane: usize) -> Vec<(Field, usize)> {
        let second =
            |of: fn((Sign, usize)) -> u128| move |one: &Instruction| one.lanes[lane].second.map(of);
        let used = |one: &Instruction| one.lanes[lane].is_used();
        let named = |name: &str| format!("{name}_{lane}_0");
        let of_lane = |of: fn(&Lane) -> u128| {
            move |one: &Instruction| used(one).then(|| of(&one.lanes[lane]))
        };
        let (bit, at) = (Kind::Bit, self.align_clock());
        let fields = [
            (self.field(&named("pairs"), bit, of_lane(|lane| lane.second.is_some().into())), 2),
            (
                self.field(
                    &named("differs"),
                    bit,
                    second(|(sign, _)| (sign == Sign::Minus).into()),
                ),
                2,
            ),
            (
                self.field(
                    &named("aligns"),
                    self.align_kind(),
                    of_lane(|lane| lane.alignment as u128),
                ),
                at,
            ),
            (
                // A multiplier with nothing to do gives zero: no word passes it.
                self.field(&named("passes"), bit, |one| Some(one.lanes[lane].is_wide.into())),
                at,
            ),
            (
                self.field(&named("negates"), bit, move |one| {
                    let lane = &one.lanes[lane];
                    lane.is_wide.then_some((lane.coefficient < 0).into())
                }),
                at,
            ),
        ];
        fields.into_iter().filter(|(field, _)| field.constant().is_none()).collect()
    }

    /// The clock behind the issue in which products are aligned.
    pub(super) fn align_clock(&self) -> usize {
        self.sum_clock() - self.program.adder_levels - usize::from(self.program.stages.alignment)
    }

    pub(super) fn align_kind(&self) -> Kind {
        Kind::Unsigned(bits_to(self.program.alignments.len().max(2) - 1))
    }

    pub(super) fn ending_kind(&self) -> Kind {
        Kind::Unsigned(bits_to(self.program.endings.len().max(2) - 1))
    }

    /// What is decided in the clock of issue, and the registers in which it travels.
    pub(super) fn marks(&self, items: &mut Items) {
        items.gap();
        items.comment(
            "What each step is: its marks, from the clock of issue (_0) on, a register a clock.",
        );
        let mut travels: Vec<Travel> = Vec::new();
        let mut happens = |name: &str, field: Field, items: &mut Items| {
            field.declare(&self.step, items);
            let running = Signal::bit("running").whole();
            items.wire(format!("{name}_0"), all(vec![running, field.signal.whole()]));
            travels.push(Travel { stem: name.to_owned(), kind: Kind::Bit, until: self.depth });
        };
        happens("delivers", self.mark("delivers_step", |one| one.delivers), items);
        if self.stores() {
            happens("stores", self.mark("stores_step", |one| one.place.is_some()), items);
        }
        // What happens is cleared by a reset; what it is like need not be.
        let cleared = travels.len();
        for (field, until) in self.travelling() {
            field.declare(&self.step, items);
            let name = &field.signal.name;
            let stem = name.strip_suffix("_0").unwrap_or(name).to_owned();
            travels.push(Travel { stem, kind: field.signal.kind, until });
        }
        travels.extend(self.places(items));
        for travel in &travels {
            (1..=travel.until).for_each(|clock| drop(items.register(travel.at(clock))));
        }
        let mut clocked = Vec::new();
        match &self.program.coefficients {
            None => {
                let step_1 = items.register(Signal::new("step_1", self.step.kind));
                clocked.push(Statement::Take(step_1, self.step.whole()));
            }
            Some(words) => self.coefficient_places(words, items, &mut clocked),
        }
        for lane in 0..self.lanes() {
            clocked.push(self.turn(&format!("first_place_{lane}"), &format!("first_slot_{lane}")));
            if self.program.has_pairs(lane) {
                let (place, slot) = (format!("second_place_{lane}"), format!("second_slot_{lane}"));
                clocked.push(self.turn(&place, &slot));
            }
        }
        for travel in &travels {
            for clock in 1..=travel.until {
                clocked.push(match (travel.stem.as_str(), clock) {
                    ("result_place", 1) => self.turn("result_place_1", "result_slot"),
                    ("channel", 1) => {
                        let channel = Signal::new("channel", travel.kind);
                        Statement::Take(travel.at(1), channel.whole())
                    }
                    _ => Statement::Take(travel.at(clock), travel.at(clock - 1).whole()),
                });
            }
        }
        let clear = |travel: &Travel, clock| Statement::Take(travel.at(clock), fixed_bit(false));
        let clears = travels[..cleared]
            .iter()
            .flat_map(|travel| (1..=travel.until).map(move |clock| clear(travel, clock)));
        clocked.push(when(Signal::bit("rst").whole(), clears.collect()));
        items.clocked(clocked);
    }

    /// Places of coefficients, and the set that the sample uses.
    fn coefficient_places(
        &self,
        words: &CoefficientWords,
        items: &mut Items,
        clocked: &mut Vec<Statement>,
    ) {
        let set = items.register(Signal::bit("set_1"));
        clocked.push(Statement::Take(set, Signal::bit("set").whole()));
        let kind = Kind::Unsigned(words.place_bits());
        for lane in 0..self.lanes() {
            let name = format!("coefficient_slot_{lane}");
            let place = |one: &Instruction| {
                let lane = &one.lanes[lane];
                (!lane.is_wide).then_some(lane.place as u128)
            };
            let slot = self.field(&name, kind, place);
            slot.declare(&self.step, items);
            let place = items.register(Signal::new(format!("coefficient_place_{lane}"), kind));
            clocked.push(Statement::Take(place, slot.signal.whole()));
        }
    }

    /// A place takes a slot, the head added.
    fn turn(&self, place: &str, slot: &str) -> Statement {
        let [place, slot] = [place, slot].map(|name| Signal::new(name, self.head.kind));
        Statement::Take(place, sum(slot.whole(), self.base().whole(), false))
    }

    /// Marks that differ from clock to clock, each with the clock behind the issue in which it is used.
    fn travelling(&self) -> Vec<(Field, usize)> {
        let mut fields = vec![(self.mark("begins_0", |one| one.begins), self.sum_clock())];
        if self.has_pauses {
            fields.push((self.mark("adds_0", |_| true), self.sum_clock()));
        }
        let ending = self.field("ending_0", self.ending_kind(), |one| Some(one.ending as u128));
        fields.push((ending, self.depth - 1));
        fields.extend((0..self.lanes()).flat_map(|lane| self.lane_fields(lane)));
        fields.retain(|(field, _)| field.constant().is_none());
        fields
    }

    /// The places of words, as the head has turned them; those that travel are returned.
    fn places(&self, items: &mut Items) -> Vec<Travel> {
        let kind = self.head.kind;
        items.gap();
        items.comment("Places in the memory, the head added.");
        let mut place = |stem: &str, lane: usize, of: fn(&Lane) -> Option<usize>| {
            let value = |one: &Instruction| {
                let lane = Some(&one.lanes[lane]).filter(|lane| lane.is_used());
                lane.and_then(of).map(|slot| slot as u128)
            };
            let field = self.field(&format!("{stem}_slot_{lane}"), kind, value);
            field.declare(&self.step, items);
            items.register(Signal::new(format!("{stem}_place_{lane}"), kind));
        };
        for lane in 0..self.lanes() {
            place("first", lane, |lane| Some(lane.first));
            if self.program.has_pairs(lane) {
                place("second", lane, |lane| lane.second.map(|(_, slot)| slot));
            }
        }
        let mut travels = Vec::new();
        let mut travel = |stem: &str, kind, until| {
            travels.push(Travel { stem: stem.to_owned(), kind, until });
        };
        if self.stores() {
            let field = self.field("result_slot", kind, |one| one.place.map(|slot| slot as u128));
            field.declare(&self.step, items);
            travel("result_place", kind, self.depth);
        }
        if let Some(channel) = self.channel() {
            travel("channel", channel.kind, if self.stores() { self.depth } else { 1 });
        }
        travels
    }
}
