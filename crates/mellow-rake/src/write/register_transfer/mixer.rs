//! Mixers: the registers of [`MixerMachine`](crate::hardware::MixerMachine), a line for each.

use super::interface::{Around, connect, handed_over, load_bus};
use super::logic::sum_of_products;
use super::value::{Kind, Signal, Value, all, any, choose, constant, differing, fixed_bit, sum};
use super::{Design, Item, Items, LoadBus, Statement, Traffic, when};
use crate::hardware::{MixerProduct, bits_to, mixer_latency, mixer_products};
use crate::network::Mixer;
use crate::spec::Interface;
use crate::write::ORIGIN;
use crate::write::parts::{is_dithered, mixed_words, numbered};

/// So many values are in a block memory.
const BLOCK: usize = 64;

/// The registers of a mixer, and where its steps can be loaded the address of the first of them, and the bus.
pub(in crate::write) fn design(
    mixer: &Mixer,
    channels: usize,
    load: Option<(usize, LoadBus)>,
    name: &str,
) -> Design {
    let products = mixer_products(mixer, channels);
    let mut items = Items::default();
    let [valid, ready] = ["out_valid", "out_ready"].map(|name| Signal::bit(name).whole());
    items.comment("All registers move on together, unless an output waits.");
    items.wire("advances", any(vec![valid.not(), ready]));
    let writer = Writer { mixer, products, load };
    let marks = writer.issue(&mut items);
    writer.multiply(&marks, &mut items);
    writer.give(&mut items);
    let formats = [mixer.input(), mixer.output()];
    let interface = Interface::ValidReady;
    let around = Around { formats, interface, samples: 1, is_driven: false };
    let (mut ports, items) = connect(items, around, None);
    if let Some((_, bus)) = load {
        ports.extend(load_bus(bus.address_bits, bus.data_bits, STEP));
    }
    let traffic = Traffic {
        interface: Some(interface),
        samples: 1,
        changes_rate: true,
        latency: mixer_latency(mixer),
        patience: 1_000,
        load: load.map(|(_, bus)| bus),
    };
    let handed = handed_over(interface, 1).into_iter();
    let handed = handed.map(|line| line.replace("A sample is", "A word is")).collect();
    let about = [about(mixer), handed].concat();
    Design { name: name.to_owned(), parts: Vec::new(), about, ports, items, traffic }
}

fn about(mixer: &Mixer) -> Vec<String> {
    let mut lines = vec![ORIGIN.to_owned(), String::new(), "A mixer. Of a sample:".to_owned()];
    lines.extend(mixed_words(mixer).iter().map(|line| format!("  {line}")));
    lines.push(String::new());
    lines.push("The words of a sample come and go one behind the other.".to_owned());
    lines
}

/// What a word on the bus is.
pub(super) const STEP: &str = "a step";

/// Marks that go with a product through the registers, by their names.
const MARKS: [&str; 5] = ["has", "is_negative", "is_first", "is_last", "is_second"];

struct Writer<'a> {
    mixer: &'a Mixer,
    products: Vec<MixerProduct>,
    load: Option<(usize, LoadBus)>,
}

impl Writer<'_> {
    fn count(&self) -> Signal {
        Signal::unsigned("count", bits_to(self.products.len() - 1))
    }

    /// Whether something holds for the product whose number is counted.
    fn whether(&self, is: impl Fn(&MixerProduct) -> bool) -> Value {
        let values: Vec<Option<bool>> = self.products.iter().map(|one| Some(is(one))).collect();
        sum_of_products(&values, &self.count())
    }

    /// Whether words that go out are sums.
    fn has_sums(&self) -> bool {
        self.products.iter().any(|one| !one.is_first)
    }

    /// Whether there are two sums at a time.
    fn has_two(&self) -> bool {
        self.has_sums() && self.products.iter().any(|one| one.word == 1)
    }

    /// The marks that are needed.
    fn marks(&self) -> Vec<&'static str> {
        let is_needed = |mark: &&str| match *mark {
            "is_first" | "is_last" => self.has_sums(),
            "is_second" => self.has_two(),
            _ => true,
        };
        MARKS.into_iter().filter(is_needed).collect()
    }

    /// The phase, and where in the table the value of the next product stands.
    fn issue(&self, items: &mut Items) -> Vec<&'static str> {
        let oscillator = self.mixer.oscillator();
        let words = oscillator.words();
        let advances = Signal::bit("advances").whole();
        let phases: Vec<Signal> = (0..self.mixer.oscillators().len())
            .map(|own| Signal::unsigned(numbered(self.mixer, "phase", own), words.phase_bits))
            .collect();
        items.gap();
        items.comment("The phase, and the number of the next product of a sample.");
        for phase in &phases {
            items.register(phase.clone());
        }
        let count = items.register(self.count());
        items.gap();
        items.comment("A word is held until its last product is on its way.");
        let word = Kind::of(self.mixer.input());
        let holds = items.register(Signal::bit("holds"));
        let held = items.register(Signal::new("held", word));
        let is_last = all(vec![advances.clone(), self.whether(|one| one.takes)]);
        let is_free = items.wire("is_free", any(vec![holds.whole().not(), is_last]));
        let ready = Signal::bit("in_ready");
        items.0.push(Item::Output { signal: ready, value: is_free.whole() });
        let data = Signal::new("in_data", Kind::Port(self.mixer.input().width()));
        let takes = vec![
            Statement::Take(holds.clone(), Signal::bit("in_valid").whole()),
            Statement::Take(held.clone(), data.whole()),
        ];
        items.clocked(vec![
            when(is_free.whole(), takes),
            when(
                Signal::bit("rst").whole(),
                vec![Statement::Take(holds.clone(), fixed_bit(false))],
            ),
        ]);
        let last = self.products.len() as i128 - 1;
        let moves = items.wire("moves", all(vec![holds.whole(), advances]));
        let is_over = items.wire("is_over", all(vec![moves.whole(), count.is(last)]));
        let zero = |signal: &Signal| Statement::Take(signal.clone(), constant(0, signal.kind));
        let (mut begin, mut next) = (vec![zero(&count)], vec![zero(&count)]);
        let steps = self.steps(items);
        for (phase, step) in phases.iter().zip(steps) {
            begin.push(zero(phase));
            next.push(Statement::Take(phase.clone(), sum(phase.whole(), step, false)));
        }
        let phase = self.phase(&phases, (&mut begin, &mut next), items);
        items.clocked(vec![Statement::If(vec![
            (Signal::bit("rst").whole(), begin),
            (is_over.whole(), next),
            (moves.whole(), vec![Statement::Take(count.clone(), count.stepped(false))]),
        ])]);
        items.gap();
        items.comment("Where in a quarter of a turn, forward or backward, and with which sign.");
        let (top, dropped) = (words.phase_bits - 1, oscillator.dropped_bits());
        let is_cosine = items.wire("is_cosine", self.whether(|one| !one.is_sine));
        let quarter = items.wire("sine_quarter", phase.part(top, top - 1));
        let turned = Value::Stepped {
            from: Box::new(quarter.whole()),
            bit: Box::new(is_cosine.whole()),
            is_minus: false,
        };
        let quarter = items.wire("quarter", turned);
        let forward = items.wire("forward", phase.part(top - 2, dropped));
        let place = choose(quarter.bit_at(0), forward.whole().not(), forward.whole());
        let minus = items.wire("is_minus", self.whether(|one| one.is_minus));
        let is_negative = choose(minus.whole(), quarter.bit_at(1).not(), quarter.bit_at(1));
        let marks = self.marks();
        let mut moves = Vec::new();
        for mark in &marks {
            let value = match *mark {
                "has" => holds.whole(),
                "is_negative" => is_negative.clone(),
                "is_first" => self.whether(|one| one.is_first),
                "is_last" => self.whether(|one| one.is_last),
                _ => self.whether(|one| one.word == 1),
            };
            let register = items.register(Signal::bit(format!("{mark}_1")));
            moves.push(Statement::Take(register, value));
        }
        let place_1 = items.register(Signal::new("place_1", forward.kind));
        let word_1 = items.register(Signal::new("word_1", word));
        moves.push(Statement::Take(place_1, place));
        moves.push(Statement::Take(word_1, held.whole()));
        items.clocked(moving(moves, "has_1"));
        marks
    }

    /// The step of each phase: a constant, or a register that is written.
    fn steps(&self, items: &mut Items) -> Vec<Value> {
        let kind = Kind::Unsigned(self.mixer.oscillator().words().phase_bits);
        let own = self.mixer.oscillators().iter();
        let constants = own.map(|own| constant(own.step().into(), kind));
        let Some((first, bus)) = self.load else { return constants.collect() };
        items.gap();
        items.comment("The steps, which can be written.");
        let [address, data] = [("load_address", bus.address_bits), ("load_data", bus.data_bits)]
            .map(|(name, bits)| Signal::new(name, Kind::Port(bits)));
        let mut steps = Vec::new();
        for (place, begin) in constants.enumerate() {
            let step = Signal::new(numbered(self.mixer, "step", place), kind);
            items.register(step.clone());
            let is_own = address.is((first + place) as i128);
            let writes = all(vec![Signal::bit("load_write").whole(), is_own]);
            let word = match bus.data_bits == kind.width() {
                true => data.whole(),
                false => data.part(kind.width() - 1, 0),
            };
            items.clocked(vec![Statement::If(vec![
                (Signal::bit("rst").whole(), vec![Statement::Take(step.clone(), begin)]),
                (writes, vec![Statement::Take(step.clone(), word)]),
            ])]);
            steps.push(step.whole());
        }
        steps
    }

    /// The phase of the next product: that of its oscillator, with the dither, whose word goes on with those.
    fn phase(
        &self,
        phases: &[Signal],
        (begin, next): (&mut Vec<Statement>, &mut Vec<Statement>),
        items: &mut Items,
    ) -> Signal {
        let oscillator = self.mixer.oscillator();
        let is_dithered = is_dithered(self.mixer);
        // Of what is chosen or added only the bits of the address are read.
        let is_cut = oscillator.dropped_bits() > 0 && (phases.len() > 1 || is_dithered);
        if is_cut && !is_dithered {
            items.unused(true);
        }
        let mut phase = phases[0].clone();
        if phases.len() > 1 {
            let choice =
                |own: usize| (self.whether(|one| one.oscillator == own), phases[own].whole());
            let choices = (1..phases.len()).map(choice).collect();
            let otherwise = Box::new(phases[0].whole());
            phase = items.wire("own_phase", Value::Chosen { choices, otherwise });
        }
        if let Some(seed) = oscillator.words().dither.filter(|_| is_dithered) {
            items.gap();
            items
                .comment("What is added to the phase for the address; it goes on by three shifts.");
            let dither = items.register(Signal::unsigned("dither", 32));
            let zeros = Value::Constant { value: 0, kind: Kind::Unsigned(17) };
            let up = |of: &Signal, by: u32| Value::Scaled {
                of: Box::new(of.part(31 - by, 0)),
                zeros: by,
            };
            let one = items.wire("dither_1", differing(dither.whole(), up(&dither, 13)));
            let down = Value::Joined(vec![zeros, one.part(31, 17)]);
            let two = items.wire("dither_2", differing(one.whole(), down));
            let three = items.wire("dither_3", differing(two.whole(), up(&two, 5)));
            begin.push(Statement::Take(dither.clone(), constant(seed.into(), dither.kind)));
            next.push(Statement::Take(dither.clone(), three.whole()));
            let added = items.wire("added", dither.part(31, 32 - oscillator.dropped_bits()));
            let added = Value::Resized { of: added, kind: phase.kind };
            items.unused(true);
            phase = items.wire("dithered", sum(phase.whole(), added, false));
        }
        if is_cut {
            items.unused(false);
        }
        phase
    }

    /// The value of the table, and the product.
    fn multiply(&self, marks: &[&str], items: &mut Items) {
        let oscillator = self.mixer.oscillator();
        let width = oscillator.format().width();
        let quarter = oscillator.quarter();
        items.gap();
        items.comment("A quarter of a turn of the sine, each value in the middle of its address.");
        let words = Signal::signed("sines", width);
        let values = quarter.iter().map(|value| (i128::from(*value), value.to_string())).collect();
        let is_block = quarter.len() >= BLOCK;
        items.0.push(Item::Table { words: words.clone(), values, is_block, is_written: false });
        let kind = Kind::of(self.mixer.input());
        let value = items.register(Signal::signed("value_2", width));
        let word = items.register(Signal::new("word_2", kind));
        let place = Signal::unsigned("place_1", oscillator.words().address_bits - 2).whole();
        let mut moves = vec![
            Statement::Read { to: value.clone(), words, place },
            Statement::Take(word.clone(), Signal::new("word_1", kind).whole()),
        ];
        for mark in marks {
            let [one, two] = [1, 2].map(|stage| Signal::bit(format!("{mark}_{stage}")));
            moves.push(Statement::Take(items.register(two), one.whole()));
        }
        items.clocked(moving(moves, "has_2"));
        items.gap();
        items.comment("The product.");
        let factor = match kind {
            Kind::Unsigned(width) => items.wire("positive_2", word.at(width + 1)),
            _ => word,
        };
        let product = self.product();
        let is_cut = product.width() > self.mixer.output().width();
        if is_cut {
            items.unused(true);
        }
        items.register(product.clone());
        if is_cut {
            items.unused(false);
        }
        let made = Value::Product { left: factor, right: value, width: product.width() };
        let mut moves = vec![Statement::Take(product, made)];
        for mark in marks {
            let [two, three] = [2, 3].map(|stage| Signal::bit(format!("{mark}_{stage}")));
            moves.push(Statement::Take(items.register(three), two.whole()));
        }
        items.clocked(moving(moves, "has_3"));
    }

    fn product(&self) -> Signal {
        let input = self.mixer.input();
        let own = input.width() + u32::from(!input.is_signed());
        Signal::signed("product_3", own + self.mixer.oscillator().format().width())
    }

    /// The word that goes out.
    fn give(&self, items: &mut Items) {
        let width = self.mixer.output().width();
        let three = |mark: &str| Signal::bit(format!("{mark}_3")).whole();
        let product = self.product();
        items.gap();
        items.comment("With its sign, and with what came before it, it goes out.");
        // What is a signal is shortened or extended; the product has room for all of its values.
        let product = items.wire("whole", product.at(width));
        let negated = items.wire("negated", Value::Negated(Box::new(product.whole())));
        let term = choose(three("is_negative"), negated.whole(), product.whole());
        let term = items.wire("term", term);
        let kind = Kind::Signed(width);
        let (total, mut moves) = match self.has_sums() {
            false => (term, Vec::new()),
            true => self.total(&term, kind, items),
        };
        let gives = match self.has_sums() {
            true => all(vec![three("has"), three("is_last")]),
            false => three("has"),
        };
        moves.push(Statement::Take(Signal::bit("out_valid"), gives));
        moves.push(Statement::Take(Signal::new("out_data", Kind::Port(width)), total.whole()));
        items.clocked(moving(moves, "out_valid"));
    }

    /// A product with those before it, and what keeps the sums.
    fn total(&self, term: &Signal, kind: Kind, items: &mut Items) -> (Signal, Vec<Statement>) {
        let three = |mark: &str| Signal::bit(format!("{mark}_3")).whole();
        let count = if self.has_two() { 2 } else { 1 };
        let sums: Vec<Signal> =
            (0..count).map(|k| items.register(Signal::new(format!("sum_{k}"), kind))).collect();
        let mut choices = vec![(three("is_first"), constant(0, kind))];
        if count == 2 {
            choices.push((three("is_second"), sums[1].whole()));
        }
        let before = Value::Chosen { choices, otherwise: Box::new(sums[0].whole()) };
        let before = items.wire("so_far", before);
        let total = items.wire("total", sum(before.whole(), term.whole(), false));
        let own = |k: usize| match (count, k) {
            (1, _) => three("has"),
            (_, 0) => all(vec![three("has"), three("is_second").not()]),
            _ => all(vec![three("has"), three("is_second")]),
        };
        let keeps = sums
            .iter()
            .enumerate()
            .map(|(k, one)| when(own(k), vec![Statement::Take(one.clone(), total.whole())]));
        (total.clone(), keeps.collect())
    }
}

/// What happens where all moves on; a reset takes the mark away.
fn moving(moves: Vec<Statement>, mark: &str) -> Vec<Statement> {
    let clear = Statement::Take(Signal::bit(mark), fixed_bit(false));
    vec![
        when(Signal::bit("advances").whole(), moves),
        when(Signal::bit("rst").whole(), vec![clear]),
    ]
}
