//! Where results wait until they are taken.

use super::super::value::{Kind, Signal, Value, all, any, choose, fixed_bit};
use super::super::{Items, Statement, when};
use super::Unit;

impl Unit<'_> {
    /// Where results wait until they are taken, the oldest first; where they cannot wait, the last one.
    pub(super) fn output(&self, word: Value, items: &mut Items) {
        items.gap();
        items.comment("The output.");
        let rst = Signal::bit("rst");
        let delivers = self.mark_at("delivers", self.depth);
        let (valid, data) = self.waiting(0);
        if !self.waits() {
            items.clocked(vec![
                Statement::Take(valid.clone(), delivers.whole()),
                when(delivers.whole(), vec![Statement::Take(data, word)]),
                when(rst.whole(), vec![Statement::Take(valid, fixed_bit(false))]),
            ]);
            return;
        }
        let places = self.program.output_words;
        let given = items.wire("given", word);
        for place in 1..places {
            let (valid, data) = self.waiting(place);
            items.register(valid);
            items.register(data);
        }
        let mut clocked: Vec<Statement> =
            (0..places).map(|place| self.moves(place, &delivers, &given)).collect();
        let clear = |place| Statement::Take(self.waiting(place).0, fixed_bit(false));
        clocked.push(when(rst.whole(), (0..places).map(clear).collect()));
        items.clocked(clocked);
    }

    /// One place: what is behind it moves up when the first is given; a result goes to the first empty one.
    fn moves(&self, place: usize, delivers: &Signal, given: &Signal) -> Statement {
        let (valid, data) = self.waiting(place);
        let (next, behind) = self.waiting(place + 1);
        let comes = all(vec![delivers.whole(), valid.whole()]);
        let (fills, moved) = match place + 1 < self.program.output_words {
            true => (
                any(vec![next.whole(), comes]),
                choose(next.whole(), behind.whole(), given.whole()),
            ),
            false => (comes, given.whole()),
        };
        let gives =
            vec![Statement::Take(valid.clone(), fills), Statement::Take(data.clone(), moved)];
        let first_empty = match place.checked_sub(1).map(|before| self.waiting(before).0) {
            Some(before) => all(vec![delivers.whole(), before.whole()]),
            None => delivers.whole(),
        };
        let fills =
            vec![Statement::Take(valid.clone(), first_empty), Statement::Take(data, given.whole())];
        Statement::If(vec![(Signal::bit("gives").whole(), gives), (valid.whole().not(), fills)])
    }

    /// The mark and the word of a place; the first is the output itself.
    fn waiting(&self, place: usize) -> (Signal, Signal) {
        let width = self.formats[1].width();
        match place {
            0 => (Signal::bit("out_valid"), Signal::new("out_data", Kind::Port(width))),
            _ => (
                Signal::bit(format!("waits_{place}")),
                Signal::signed(format!("waiting_{place}"), width),
            ),
        }
    }
}
