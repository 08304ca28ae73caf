//! The memories of words and of coefficients.

use super::super::value::{Signal, Value, any, choose};
use super::super::{Item, Items, Statement, when};
use super::Unit;
use crate::hardware::{CoefficientWords, FlowProduct, Issue, Scheduled};
use std::collections::BTreeMap;

impl Unit<'_> {
    /// A place with its channel in front.
    fn of_channel(&self, channel: &str, place: &Signal) -> Value {
        match self.channel_bits {
            0 => place.whole(),
            bits => Value::Joined(vec![Signal::unsigned(channel, bits).whole(), place.whole()]),
        }
    }

    pub(super) fn memories(&self, items: &mut Items) {
        self.writing(items);
        for lane in 0..self.lanes() {
            self.words("first", lane, items);
            if self.program.has_pairs(lane) {
                self.words("second", lane, items);
            }
        }
        items.gap();
        match self.program.coefficients {
            None => {
                items.comment(
                    "Coefficients, clock by clock, with the words that they meet: x is the input, s1 the",
                );
                items.comment("result of the first sum, [-1] that of the sample before.");
            }
            Some(_) => items.comment("Coefficients, address by address, in two sets."),
        }
        for lane in 0..self.lanes() {
            self.coefficients(lane, items);
        }
    }

    /// What is written: the sample, a result, or zeros while the memory is cleared, when the sample is zero.
    fn writing(&self, items: &mut Items) {
        let width = self.program.memory_bits;
        items.gap();
        items.comment(
            "The memory of words: in each firing all of them are a slot farther from the head. A",
        );
        items.comment("copy for each word that is read in a clock.");
        let [clearing, opens] = ["clearing", "opens"].map(|name| Signal::bit(name).whole());
        let clears = self.program.resources.clears_memory;
        let own = if clears { any(vec![clearing, opens]) } else { opens };
        let head = self.of_channel("channel", &self.head);
        let sample = self.sample().at(width);
        let (place, word, writes) = match self.stores() {
            false => (head, sample, own),
            true => {
                let depth = self.depth;
                let place = Signal::new(format!("result_place_{depth}"), self.head.kind);
                let place = self.of_channel(&format!("channel_{depth}"), &place);
                let stores = self.mark_at("stores", depth).whole();
                (
                    choose(own.clone(), head, place),
                    choose(own.clone(), sample, self.result().at(width)),
                    any(vec![own, stores]),
                )
            }
        };
        items.wire("write_place", place);
        items.wire("write_word", word);
        items.wire("writes", writes);
    }

    /// A copy of the words.
    fn words(&self, stem: &str, lane: usize, items: &mut Items) {
        let width = self.program.memory_bits;
        let count = self.program.memory_words << self.channel_bits;
        let copy = format!("{stem}_{lane}");
        let words = Signal::signed(format!("{copy}_words"), width);
        let is_block = self.is_block(count as u64 * u64::from(width));
        items.0.push(Item::Memory { words: words.clone(), count, is_block });
        let to = items.register(Signal::signed(copy, width));
        let place = Signal::new(format!("{stem}_place_{lane}"), self.head.kind);
        let write_place = Signal::unsigned("write_place", self.head.width() + self.channel_bits);
        let value = Signal::signed("write_word", width).whole();
        let write = Statement::Write { words: words.clone(), place: write_place, value };
        items.clocked(vec![
            when(Signal::bit("writes").whole(), vec![write]),
            Statement::Read { to, words, place: self.of_channel("channel_1", &place) },
        ]);
    }

    /// Two sets of coefficients, the one that is in use as the mark of the set says; what is written goes
    /// to the other.
    fn loaded(&self, words: &CoefficientWords, lane: usize, items: &mut Items) {
        let bits = self.program.coefficient_bits;
        let places = 1usize << words.place_bits();
        let memory = Signal::signed(format!("coefficients_{lane}"), bits);
        let map = self.program.load_map.as_ref();
        let value = |place: usize| {
            let (set, place) = (place / places, place % places);
            let remark = match (words.words.get(place), place < words.loadable) {
                (None, _) => "nothing".to_owned(),
                (Some(_), true) => map.map_or(String::new(), |map| map.name(place)),
                (Some(_), false) => "a constant".to_owned(),
            };
            let value = words.words.get(place).copied().unwrap_or(0);
            (value, format!("set {set}: {remark}"))
        };
        items.0.push(Item::Table {
            words: memory.clone(),
            values: (0..2 * places).map(value).collect(),
            is_block: self.is_block(2 * places as u64 * u64::from(bits)),
            is_written: true,
        });
        let to = items.register(Signal::signed(format!("coefficient_{lane}"), bits));
        let place = Signal::unsigned(format!("coefficient_place_{lane}"), words.place_bits());
        let set = Signal::bit("set_1").whole();
        let write = Statement::Write {
            words: memory.clone(),
            place: Signal::unsigned("load_place", words.place_bits() + 1),
            value: Signal::signed("load_word", bits).whole(),
        };
        items.clocked(vec![
            when(Signal::bit("loads").whole(), vec![write]),
            Statement::Read { to, words: memory, place: Value::Joined(vec![set, place.whole()]) },
        ]);
    }

    fn coefficients(&self, lane: usize, items: &mut Items) {
        if let Some(words) = &self.program.coefficients {
            return self.loaded(words, lane, items);
        }
        let bits = self.program.coefficient_bits;
        let places = 1usize << self.step.width();
        let words = Signal::signed(format!("coefficients_{lane}"), bits);
        let products: BTreeMap<usize, FlowProduct> = self.products(lane);
        let value = |clock: usize| {
            let one = self.program.instructions.get(clock).and_then(Option::as_ref);
            let one = one.map(|one| one.lanes[lane]).filter(|lane| !lane.is_wide);
            let product = products.get(&clock).map(FlowProduct::to_string);
            (one.map_or(0, |lane| lane.coefficient), product.unwrap_or("nothing".to_owned()))
        };
        items.0.push(Item::Table {
            words: words.clone(),
            values: (0..places).map(value).collect(),
            is_block: self.is_block(places as u64 * u64::from(bits)),
            is_written: false,
        });
        let to = items.register(Signal::signed(format!("coefficient_{lane}"), bits));
        let place = Signal::new("step_1", self.step.kind).whole();
        items.clocked(vec![Statement::Read { to, words, place }]);
    }

    /// What a multiplier does, clock by clock.
    fn products(&self, lane: usize) -> BTreeMap<usize, FlowProduct> {
        let of_filter = |(filter, start): (&Scheduled, &usize)| {
            let (schedule, start) = (filter.schedule().clone(), *start);
            let product = move |issue: Issue| {
                let product = schedule.flow.tasks[issue.task].products[issue.product];
                (start + issue.clock, product)
            };
            let issues = filter.schedule().issues.clone().into_iter();
            issues.filter(move |issue| issue.multiplier == lane).map(product)
        };
        self.filters.iter().zip(&self.program.starts).flat_map(of_filter).collect()
    }

    /// Whether a synthesizer is to take a block RAM for so many bits.
    fn is_block(&self, bits: u64) -> bool {
        bits >= self.program.resources.block_ram_bits
    }
}
