//! The figure of a schedule, and that of several units side by side.

use mellow_rake::hardware::{FlowWord, Scheduled, Staged};
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet};

/// Rows of multipliers that are drawn.
const MOST_MULTIPLIERS: usize = 8;

/// Units that are drawn.
const MOST_PANELS: usize = 8;

/// What is where in which clock of a sample: tasks on their way through the unit, and the places of the
/// memory that are read and written.
pub fn schedule(name: &str, scheduled: &Scheduled) -> Sheet {
    let title = format!(
        "{name}: a sample every {} clocks, its output {} clocks later",
        scheduled.interval(),
        scheduled.latency()
    );
    Sheet { title, panels: vec![tasks(scheduled), memory(scheduled)] }
}

/// The same of units one behind the other: a panel for each.
pub fn staged(name: &str, staged: &Staged) -> Sheet {
    let title = format!(
        "{name}: a sample every {} clocks, its output {} clocks later",
        staged.interval(),
        staged.latency()
    );
    let panel = |(index, stage): (usize, &Scheduled)| Panel {
        title: format!("unit {}", index + 1),
        ..tasks(stage)
    };
    let panels = staged.stages().iter().take(MOST_PANELS).enumerate().map(panel).collect();
    Sheet { title, panels }
}

/// The clocks from the first product on that are drawn, and where the next sample begins.
fn clocks(scheduled: &Scheduled, high: f64) -> (Axis, Series) {
    let (interval, depth) = (scheduled.interval() as f64, scheduled.schedule().depth() as f64);
    let last = interval + depth + 1.0;
    let (from, to) = (interval - 0.002 * last, interval + 0.002 * last);
    let next = Series {
        name: "the next sample begins".to_owned(),
        pen: Pen::Rank(3),
        shape: Shape::Band(vec![(from, -1.0, high), (to, -1.0, high)]),
    };
    (Axis::linear("clock", "", (0.0, last)), next)
}

fn panel(title: &str, (x, next): (Axis, Series), y: Axis, mut series: Vec<Series>) -> Panel {
    series.push(next);
    Panel { series, ..Panel::new(title, x, y) }
}

/// Tasks on their way through multipliers, sum, result and memory.
fn tasks(scheduled: &Scheduled) -> Panel {
    let lanes = scheduled.resources().multipliers.min(MOST_MULTIPLIERS);
    let depth = scheduled.schedule().depth();
    let mut names: Vec<String> = ["written", "result", "sum"].map(str::to_owned).to_vec();
    names.extend((0..lanes).rev().map(|lane| format!("multiplier {}", lane + 1)));
    let row_of = |lane: usize| 3 + lanes - 1 - lane;
    let mut series = Vec::new();
    let count = scheduled.flow().tasks.len();
    let mut bars = |task: usize, row: usize, from: usize, to: usize| {
        let (low, high) = (row as f64 - 0.36, row as f64 + 0.36);
        let points = vec![(from as f64, low, high), (to as f64, low, high)];
        let name = match (task % 2, count) {
            (_, 1) => "the task",
            (0, _) => "tasks 1, 3, ...",
            _ => "tasks 2, 4, ...",
        };
        let (name, pen) = (name.to_owned(), Pen::Rank(task % 2));
        series.push(Series { name, pen, shape: Shape::Band(points) });
    };
    for task in 0..count {
        let issues = || scheduled.schedule().issues.iter().filter(move |one| one.task == task);
        for lane in 0..lanes {
            let clocks: Vec<usize> =
                issues().filter(|one| one.multiplier == lane).map(|one| one.clock).collect();
            for run in clocks.chunk_by(|one, next| *next == one + 1) {
                bars(task, row_of(lane), run[0], run[run.len() - 1] + 1);
            }
        }
        let (first, last) = scheduled.span(task);
        bars(task, 2, first + depth - 2, last + depth - 1);
        bars(task, 1, last + depth - 1, last + depth);
        if scheduled.slot(task + 1).is_some() || task == scheduled.output_task() {
            bars(task, 0, last + depth, last + depth + 1);
        }
    }
    let y = Axis { names, ..Axis::linear("", "", (-0.6, lanes as f64 + 2.6)) };
    panel("what is where", clocks(scheduled, y.range.1), y, series)
}

/// The places of the memory that are read and written.
fn memory(scheduled: &Scheduled) -> Panel {
    let depth = scheduled.schedule().depth() as f64;
    let place = |word: FlowWord| scheduled.slot(word.signal).unwrap_or(0) + word.age;
    let (mut read, mut written) = (Vec::new(), vec![(0.5, 0.0)]);
    for issue in &scheduled.schedule().issues {
        let product = scheduled.flow().tasks[issue.task].products[issue.product];
        let words = [Some(product.first), product.second.map(|(_, word)| word)];
        for word in words.into_iter().flatten() {
            read.push((issue.clock as f64 + 1.5, place(word) as f64));
        }
    }
    for task in 0..scheduled.flow().tasks.len() {
        if let Some(slot) = scheduled.slot(task + 1) {
            written.push((scheduled.span(task).1 as f64 + depth + 0.5, slot as f64));
        }
    }
    let y = Axis::linear("slot of the memory", "", (-1.0, scheduled.used_words() as f64));
    let dots = |name: &str, rank: usize, points: Vec<(f64, f64)>| Series {
        name: name.to_owned(),
        pen: Pen::Rank(rank),
        shape: Shape::Dots(points),
    };
    let series = vec![dots("read", 0, read), dots("written", 1, written)];
    panel("words read and written", clocks(scheduled, y.range.1), y, series)
}

/// Several units: samples a second that each can take, against what it takes. `units` are names with samples
/// a second and amounts.
pub fn units(title: &str, amount: &str, units: &[(String, f64, f64)]) -> Sheet {
    let reach = |values: Vec<f64>| {
        let high = values.iter().copied().fold(f64::MIN_POSITIVE, f64::max);
        let low = values.iter().copied().fold(f64::INFINITY, f64::min);
        (low / 1.5, high * 1.5)
    };
    let x = Axis::logarithmic("sample rate", "Hz", reach(units.iter().map(|u| u.1).collect()));
    let y = Axis::linear(amount, "", (0.0, 1.2 * units.iter().map(|u| u.2).fold(1.0, f64::max)));
    let series = units.iter().enumerate().map(|(rank, (name, rate, amount))| Series {
        name: name.clone(),
        pen: Pen::Rank(rank),
        shape: Shape::Zeros(vec![(*rate, *amount, 1)]),
    });
    let series = series.collect();
    let panel = Panel { series, ..Panel::new("what a faster unit takes", x, y) };
    Sheet { title: title.to_owned(), panels: vec![panel] }
}
