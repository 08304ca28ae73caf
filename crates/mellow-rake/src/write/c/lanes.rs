//! Programs in C that go through several words side by side, each lane with a state of its own.

use super::super::parts::Part;
use super::network::block;

/// The function that takes some samples through a part.
pub(super) fn run(
    part: &Part<'_>,
    own: &str,
    name: &str,
    number: usize,
    kept_only: bool,
) -> String {
    let (lanes, (input, output)) = (part.lanes, part.types());
    let one = Firing { part, own, number, kept_only };
    let mut each = vec![format!("const {input} *const sample = input + {lanes} * i;")];
    each.extend(one.sample("sample"));
    if part.fill > 1 {
        let mut zeros =
            vec![format!("static const {input} zero[{lanes}] = {{0}};"), "int z;".to_owned()];
        let head = format!("for (z = 1; z < {}; z++) {{", part.fill);
        zeros.extend(block(&head, one.sample("zero")));
        each.extend(block("{", zeros));
    }
    let mut body = vec![format!("{output} *const begin = output;"), "size_t i;".to_owned()];
    if part.keep > 1 {
        body.push(format!("int until = chain->until{number};"));
    }
    body.extend(block("for (i = 0; i < count; i++) {", each));
    if part.keep > 1 {
        body.push(format!("chain->until{number} = until;"));
    }
    body.push(format!("return (size_t)(output - begin) / {lanes};"));
    let head = format!(
        "static size_t {name}_run{number}(struct {name} *chain, const {input} *input, size_t count, \
         {output} *output)"
    );
    let lines: Vec<String> = body.iter().map(|line| format!("    {line}\n")).collect();
    format!("{head}\n{{\n{}}}\n\n", lines.concat())
}

struct Firing<'a> {
    part: &'a Part<'a>,
    own: &'a str,
    number: usize,
    kept_only: bool,
}

impl Firing<'_> {
    fn each_lane(&self, lines: Vec<String>) -> Vec<String> {
        block(&format!("for (lane = 0; lane < {}; lane++) {{", self.part.lanes), lines)
    }

    /// One sample goes in, and the program is fired where it has enough of them.
    fn sample(&self, from: &str) -> Vec<String> {
        let (number, takes) = (self.number, self.part.takes());
        let mut lines = vec!["int lane;".to_owned()];
        if takes == 1 {
            lines.extend(self.firing(&format!("{from} + lane")));
            return block("{", lines);
        }
        let waits = format!("chain->waiting{number}[lane][chain->waits{number}] = {from}[lane];");
        lines.extend(self.each_lane(vec![waits]));
        let mut full = vec![format!("chain->waits{number} = 0;")];
        full.extend(self.firing(&format!("chain->waiting{number}[lane]")));
        let head = format!("if (++chain->waits{number} == {takes}) {{");
        lines.extend(block(&head, full));
        block("{", lines)
    }

    /// One firing of all lanes, of which goes on what is kept.
    fn firing(&self, from: &str) -> Vec<String> {
        let Firing { part, own, number, kept_only } = self;
        let (output, gives, keep, lanes) = (part.types().1, part.gives(), part.keep, part.lanes);
        let call = |to: &str| format!("{own}_fire(&chain->part{number}[lane], {from}, {to});");
        if gives == 1 && keep == 1 {
            let mut lines = self.each_lane(vec![call("output + lane")]);
            lines.push(format!("output += {lanes};"));
            return lines;
        }
        let mut lines = vec![format!("{output} given[{lanes}][{gives}];"), "int k;".to_owned()];
        let put = self.each_lane(vec!["*output++ = given[lane][k];".to_owned()]);
        if *kept_only {
            lines.push("int many = 0;".to_owned());
            let fire = format!(
                "many = (int)({own}_fire(&chain->part{number}[lane], {from}, given[lane], until) - \
                 given[lane]);"
            );
            lines.extend(self.each_lane(vec![fire]));
            lines.extend(block("for (k = 0; k < many; k++) {", put));
            lines.push(format!("until += many * {keep} - {gives};"));
            return block("{", lines);
        }
        lines.extend(self.each_lane(vec![call("given[lane]")]));
        let each = match keep {
            1 => put,
            _ => {
                let mut kept = put;
                kept.push(format!("until = {keep};"));
                let mut each = block("if (until == 0) {", kept);
                each.push("until--;".to_owned());
                each
            }
        };
        lines.extend(block(&format!("for (k = 0; k < {gives}; k++) {{"), each));
        block("{", lines)
    }
}
