//! Mooring: the slow trend of the strain, without a multiplier: y[n] = y[n-1] + (x[n] - y[n-1])/32, stated as
//! operations, checked, proved, and written.

use mellow_rake::datapath::{
    Block, Datapath, Line, LineIndex, Node, Operation, Row, Sign, Simulator, Term, dump,
};
use mellow_rake::fixed::{Overflow, Rounding};
use mellow_rake::spec::Name;
use mellow_rake::write::{Symbols, c};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let (line, row) = (LineIndex(0), Row::Fixed(0));
    // Five bits of fraction more than the input are remembered, so that a 32nd of it is not lost; and a whole
    // bit, as a rounding may pass full scale by half a step.
    let (input, memory) = ("s16f15".parse()?, "s22f20".parse()?);
    let term =
        |sign, word, binary_point_shift| Term::Word { sign, word: Node(word), binary_point_shift };
    let operations = vec![
        Operation::INPUT,
        Operation::Tap { line, row, age: 1 },
        Operation::Accumulate {
            terms: vec![term(Sign::Plus, 1, 0), term(Sign::Plus, 0, 5), term(Sign::Minus, 1, 5)],
            format: "s28f25".parse()?,
        },
        Operation::Round { word: Node(2), fraction: 20, rounding: Rounding::HalfEven },
        Operation::Limit { word: Node(3), format: memory, overflow: Overflow::Forbid },
        Operation::Store { line, row, word: Node(4) },
        Operation::Round { word: Node(4), fraction: 15, rounding: Rounding::HalfEven },
        Operation::Limit { word: Node(6), format: input, overflow: Overflow::Saturate },
    ];
    let numbered = operations.into_iter().zip(0..).map(|(operation, k)| (Node(k), operation));
    let program = Datapath::per_sample(
        [input, input],
        Vec::new(),
        vec![Line { name: "y", format: memory, rows: 1, depth: 1 }],
        Block { operations: numbered.collect(), result: Node(7) },
    );
    // The check proves every range, and with it that the forbidden limit cannot act.
    let checked = program.check()?;
    println!("{}", dump(&checked));

    let bounds = checked.facts().bounds().clone()?;
    let lsb = checked.output().step();
    println!(
        "never further from floating point than {:.3} LSB: proved",
        bounds.error.largest() / lsb
    );

    let step = Simulator::new(&checked).run(&[16_384; 160]);
    let reached = step.iter().position(|y| *y >= 10_357).unwrap_or(step.len());
    println!(
        "a step to half of full scale: 63 % after {reached} samples, {} at the end",
        step[159]
    );

    let files = c::write(&checked, &Symbols::new(&Name::new("trend")?))?;
    for file in &files {
        println!("{}: {} lines", file.name, file.text.lines().count());
    }
    Ok(())
}
