//! Steps, the head of the memory, channels, and when a sample is taken.

use super::super::field::Field;
use super::super::value::{Kind, Signal, Value, all, any, choose, constant, fixed_bit, sum};
use super::super::{Item, Items, Statement, when};
use super::Unit;

/// A register takes a constant.
fn set(signal: &Signal, value: i128) -> Statement {
    Statement::Take(signal.clone(), constant(value, signal.kind))
}

/// A register takes ones in all its bits.
fn fill(signal: &Signal) -> Statement {
    set(signal, (1i128 << signal.width()) - 1)
}

fn take(signal: &Signal, value: Value) -> Statement {
    Statement::Take(signal.clone(), value)
}

impl Unit<'_> {
    /// The step of each clock, the head of the memory, the channel, and when a sample is taken.
    pub(super) fn control(&self, items: &mut Items) {
        items.comment("Which clock of which sample. `free` is high where another sample may begin");
        items.comment("behind this clock, `opens` in the first clock of one, which writes it.");
        if self.takes() > 1 {
            let takes = self.takes();
            items.comment(format!(
                "A firing takes {takes} samples: `filled` counts those of the next one,"
            ));
            items.comment("and the places of its words follow from `base`.");
        }
        for name in ["running", "free", "opens"] {
            items.register(Signal::bit(name));
        }
        items.register(self.step.clone());
        let starts_at_zero = !self.clears();
        items.0.push(Item::Register { signal: self.head.clone(), starts_at_zero });
        items.register(self.sample());
        if let Some(channel) = self.channel() {
            items.register(channel);
        }
        if self.takes() > 1 {
            items.register(self.filled());
            items.register(self.base());
        }
        if self.clears() {
            items.register(Signal::bit("clearing"));
        }
        self.ready(items);
        let mut clocked = self.loading(items);
        if self.waits() {
            let owed = self.owed();
            let stepped = |from, bit: &str, is_minus| Value::Stepped {
                from: Box::new(from),
                bit: Box::new(Signal::bit(bit).whole()),
                is_minus,
            };
            clocked.push(match self.program.firing_words[1] {
                1 => {
                    let more = stepped(owed.whole(), &self.completes().name, false);
                    take(&owed, stepped(more, "gives", true))
                }
                gives => {
                    let added = constant(gives as i128, owed.kind);
                    let more = sum(owed.whole(), added, false);
                    let more = choose(self.completes().whole(), more, owed.whole());
                    let more = items.wire("owes", more);
                    take(&owed, stepped(more.whole(), "gives", true))
                }
            });
        }
        clocked.extend(self.steps());
        clocked.extend(self.turning());
        clocked.push(when(Signal::bit("rst").whole(), self.reset()));
        items.clocked(clocked);
    }

    fn clears(&self) -> bool {
        self.program.resources.clears_memory
    }

    fn last_channel(&self) -> i128 {
        self.program.resources.channels as i128 - 1
    }

    /// When a sample is taken.
    fn ready(&self, items: &mut Items) {
        let bit = |name: &str| Signal::bit(name).whole();
        let mut begins = vec![bit("free")];
        if self.waits() {
            items.comment("Samples that were taken and not yet given: there is a place for each.");
            let owed = items.register(self.owed());
            items.wire("gives", all(vec![bit("out_valid"), bit("out_ready")]));
            let places = self.program.output_words as i128;
            begins.push(match self.program.firing_words[1] as i128 {
                1 => owed.is_not(places),
                gives => Value::Below { of: owed, limit: places - gives + 1 },
            });
        }
        let last = self.takes() as i128 - 1;
        let mut conditions = match self.takes() {
            1 => begins,
            _ => {
                begins = vec![all(begins), self.filled().is_not(last)];
                vec![any(begins)]
            }
        };
        if self.takes() > 1 && self.clears() {
            conditions.push(bit("clearing").not());
        }
        if self.stores() {
            items.comment(
                "The first clock of a sample writes it; the memory has one port for that.",
            );
            conditions.push(self.mark_at("stores", self.depth - 1).whole().not());
        }
        items.0.push(Item::Output { signal: Signal::bit("in_ready"), value: all(conditions) });
        items.wire("takes", all(vec![bit("in_valid"), bit("in_ready")]));
        if self.takes() > 1 {
            items.wire("completes", all(vec![bit("takes"), self.filled().is(last)]));
        }
        if let Some(channel) = self.channel() {
            items.wire("wraps", channel.is(self.last_channel()));
        }
        self.turns(items);
    }

    /// Of filters that take turns the clock in which the next begins, and the last but one of each.
    fn turns(&self, items: &mut Items) {
        let (Some(channel), [_, _, ..]) = (self.channel(), self.filters) else { return };
        items.comment("Where the next filter begins, and the last clock but one of each.");
        let starts = &self.program.starts;
        let next = starts.iter().cycle().skip(1).take(starts.len());
        let values = next.map(|start| Some(*start as u128)).collect();
        Field { signal: self.start(), values }.declare(&channel, items);
        let ends: Vec<usize> = self.program.firings().map(|firing| firing.end - 2).collect();
        let is_last = |clock: usize| Some(u128::from(ends.contains(&clock)));
        let values = (0..self.program.instructions.len()).map(is_last).collect();
        Field { signal: Signal::bit("ends"), values }.declare(&self.step, items);
    }

    /// Where the next filter begins.
    fn start(&self) -> Signal {
        Signal::new("start", self.step.kind)
    }

    /// What is written to the coefficients, and when their sets change places.
    fn loading(&self, items: &mut Items) -> Vec<Statement> {
        let (Some(words), Some(map)) = (&self.program.coefficients, &self.program.load_map) else {
            return Vec::new();
        };
        items.comment(
            "Two sets of coefficients: what is written goes to the one that is not in use.",
        );
        items.comment("They change places with the next sample of the first channel.");
        let set = Signal::bit("set");
        items.0.push(Item::Register { signal: set.clone(), starts_at_zero: true });
        let bit = |name: &str| Signal::bit(name).whole();
        let address = Signal::new("load_address", Kind::Port(map.address_bits));
        let below = Value::Below { of: address.clone(), limit: words.loadable as i128 };
        items.wire("loads", all(vec![bit("load_write"), below]));
        let asks = address.is(map.switch_address as i128);
        items.wire("asks", all(vec![bit("load_write"), asks]));
        let kind = Kind::Unsigned(words.place_bits());
        let place = items.wire("load_slot", Value::Resized { of: address, kind });
        items.wire("load_place", Value::Joined(vec![set.whole().not(), place.whole()]));
        // A port is read as what it is given to: with the sign that the tables have.
        let data = Signal::new("load_data", Kind::Port(map.data_bits));
        let own = match map.is_signed() {
            true => Kind::Signed(map.data_bits),
            false => Kind::Unsigned(map.data_bits),
        };
        let mut number = Signal::new("load_number", own);
        items.0.push(Item::Wire {
            signal: number.clone(),
            value: data.whole(),
            remark: String::new(),
        });
        if map.negated.contains(&true) {
            let values = map.negated.iter().map(|one| Some(u128::from(*one))).collect();
            let field = Field { signal: Signal::bit("load_negates"), values };
            field.declare(&place, items);
            let opposite = Value::Negated(Box::new(number.whole()));
            let held = choose(field.signal.whole(), opposite, number.whole());
            number = items.wire("load_held", held);
        }
        items.wire("load_word", number.at(self.program.coefficient_bits));
        let mut first = vec![bit("takes"), bit("load_pending"), bit("rst").not()];
        if self.channel().is_some() {
            first.push(bit("wraps"));
        }
        items.wire("changes", all(first));
        let pending = Signal::bit("load_pending");
        let stays = all(vec![pending.whole(), bit("changes").not()]);
        vec![
            take(&pending, any(vec![bit("asks"), stays])),
            when(bit("changes"), vec![take(&set, set.whole().not())]),
        ]
    }

    fn steps(&self) -> Vec<Statement> {
        let interval = self.program.instructions.len();
        let [running, free, opens, takes] = ["running", "free", "opens", "takes"].map(Signal::bit);
        let begins = match self.filters {
            [_] => set(&self.step, 0),
            _ => take(&self.step, self.start().whole()),
        };
        let sample =
            take(&self.sample(), Signal::new("in_data", Kind::Port(self.sample().width())).whole());
        // A sample of one clock leaves the next one free at once.
        let mut taken = vec![set(&running, 1), set(&free, i128::from(interval == 1)), begins];
        let mut early = Vec::new();
        match self.takes() {
            1 => taken.push(sample),
            _ => {
                let filled = self.filled();
                let next = choose(
                    self.completes().whole(),
                    constant(0, filled.kind),
                    filled.stepped(false),
                );
                taken.push(take(&self.base(), self.head.stepped(true)));
                early.push(when(takes.whole(), vec![sample, take(&filled, next)]));
            }
        }
        let mut runs = vec![take(&self.step, self.step.stepped(false))];
        if self.filters.len() > 1 {
            runs.push(when(Signal::bit("ends").whole(), vec![set(&free, 1)]));
        } else if let Some(before) = interval.checked_sub(2) {
            runs.push(when(self.step.is(before as i128), vec![set(&free, 1)]));
        }
        runs.push(when(free.whole(), vec![set(&running, 0)]));
        let branches = vec![(self.completes().whole(), taken), (running.whole(), runs)];
        [vec![take(&opens, takes.whole())], early, vec![Statement::If(branches)]].concat()
    }

    /// The head and the channel, in samples and while the memory is cleared.
    fn turning(&self) -> Vec<Statement> {
        let [takes, wraps, clearing, free] =
            ["takes", "wraps", "clearing", "free"].map(Signal::bit);
        let channel = self.channel();
        let mut turns = match channel {
            None => takes.whole(),
            Some(_) => all(vec![takes.whole(), wraps.whole()]),
        };
        if self.clears() {
            turns = any(vec![clearing.whole(), turns]);
        }
        let mut all_of_it = vec![when(turns, vec![take(&self.head, self.head.stepped(true))])];
        if let Some(channel) = &channel {
            let next = choose(wraps.whole(), constant(0, channel.kind), channel.stepped(false));
            all_of_it.push(when(takes.whole(), vec![take(channel, next)]));
        }
        if !self.clears() {
            return all_of_it;
        }
        let ends = vec![set(&clearing, 0), set(&free, 1)];
        let at_end = match &channel {
            None => ends,
            Some(channel) => {
                let last = constant(self.last_channel(), channel.kind);
                let next = choose(channel.is(0), last, channel.stepped(true));
                vec![take(channel, next), when(channel.is(0), ends)]
            }
        };
        all_of_it.push(when(all(vec![clearing.whole(), self.head.is(0)]), at_end));
        all_of_it
    }

    fn reset(&self) -> Vec<Statement> {
        let [running, free, opens] = ["running", "free", "opens"].map(Signal::bit);
        let mut cleared =
            vec![set(&running, 0), set(&opens, 0), take(&free, fixed_bit(!self.clears()))];
        if self.clears() {
            cleared.push(set(&Signal::bit("clearing"), 1));
            cleared.push(fill(&self.head));
            cleared.push(set(&self.sample(), 0));
        }
        if self.waits() {
            cleared.push(set(&self.owed(), 0));
        }
        if self.takes() > 1 {
            cleared.push(set(&self.filled(), 0));
        }
        if self.program.coefficients.is_some() {
            cleared.push(set(&Signal::bit("load_pending"), 0));
        }
        if let Some(channel) = self.channel() {
            // Cleared from the last place on; otherwise the first channel is next.
            cleared.push(match self.clears() {
                true => fill(&channel),
                false => set(&channel, self.last_channel()),
            });
        }
        cleared
    }
}
