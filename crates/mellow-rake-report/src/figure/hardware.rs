//! The figure of a schedule, and that of several units side by side.

use mellow_rake::hardware::{FlowWord, Scheduled, Staged, TimeShared};
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

/// Filters of these names that take turns: what is where in a round.
pub fn time_shared(names: &[String], shared: &TimeShared) -> Sheet {
    let title = format!(
        "{} filters: a sample of each every {} clocks, outputs up to {} clocks later",
        names.len(),
        shared.interval(),
        shared.latency()
    );
    let starts = shared.starts();
    let mut series = Vec::new();
    for (rank, (name, filter)) in names.iter().zip(shared.filters()).enumerate() {
        let look = |_: usize| (name.clone(), Pen::Rank(rank % 3));
        series.extend(bars(filter, starts[rank], &look));
    }
    let last = shared.interval() as f64 + shared.filters()[0].schedule().depth() as f64 + 1.0;
    let x = Axis::linear("clock of a round", "", (0.0, last));
    let y = rows(&shared.filters()[0]);
    let ends = starts[1..].iter().copied().chain([shared.interval()]);
    series.extend(ends.map(|clock| next_sample(clock as f64, last, y.range.1)));
    Sheet { title, panels: vec![Panel { series, ..Panel::new("what is where", x, y) }] }
}

/// Where the next sample begins, on an axis up to `last`.
fn next_sample(clock: f64, last: f64, high: f64) -> Series {
    let (from, to) = (clock - 0.002 * last, clock + 0.002 * last);
    Series {
        name: "the next sample begins".to_owned(),
        pen: Pen::Rank(3),
        shape: Shape::Band(vec![(from, -1.0, high), (to, -1.0, high)]),
    }
}

/// The clocks from the first product on that are drawn, and where the next sample begins.
fn clocks(scheduled: &Scheduled, high: f64) -> (Axis, Series) {
    let (interval, depth) = (scheduled.interval() as f64, scheduled.schedule().depth() as f64);
    let last = interval + depth + 1.0;
    (Axis::linear("clock", "", (0.0, last)), next_sample(interval, last, high))
}

fn panel(title: &str, (x, next): (Axis, Series), y: Axis, mut series: Vec<Series>) -> Panel {
    series.push(next);
    Panel { series, ..Panel::new(title, x, y) }
}

/// Tasks on their way through multipliers, sum, result and memory.
fn tasks(scheduled: &Scheduled) -> Panel {
    let count = scheduled.flow().tasks.len();
    let look = |task: usize| {
        let name = match (task % 2, count) {
            (_, 1) => "the task",
            (0, _) => "tasks 1, 3, ...",
            _ => "tasks 2, 4, ...",
        };
        (name.to_owned(), Pen::Rank(task % 2))
    };
    let (y, series) = (rows(scheduled), bars(scheduled, 0, &look));
    panel("what is where", clocks(scheduled, y.range.1), y, series)
}

/// The parts of a unit, a row for each.
fn rows(scheduled: &Scheduled) -> Axis {
    let lanes = scheduled.resources().multipliers.min(MOST_MULTIPLIERS);
    let mut names: Vec<String> = ["written", "result", "sum"].map(str::to_owned).to_vec();
    names.extend((0..lanes).rev().map(|lane| format!("multiplier {}", lane + 1)));
    Axis { names, ..Axis::linear("", "", (-0.6, lanes as f64 + 2.6)) }
}

/// Where each task is in which clock, for a filter that begins in the clock `start`.
fn bars(scheduled: &Scheduled, start: usize, look: &dyn Fn(usize) -> (String, Pen)) -> Vec<Series> {
    let lanes = scheduled.resources().multipliers.min(MOST_MULTIPLIERS);
    let depth = scheduled.schedule().depth();
    let row_of = |lane: usize| 3 + lanes - 1 - lane;
    let mut series = Vec::new();
    let mut bar = |task: usize, row: usize, from: usize, to: usize| {
        let (low, high) = (row as f64 - 0.36, row as f64 + 0.36);
        let points = [from, to].map(|clock| ((start + clock) as f64, low, high));
        let (name, pen) = look(task);
        series.push(Series { name, pen, shape: Shape::Band(points.to_vec()) });
    };
    for task in 0..scheduled.flow().tasks.len() {
        let issues = || scheduled.schedule().issues.iter().filter(move |one| one.task == task);
        for lane in 0..lanes {
            let clocks: Vec<usize> =
                issues().filter(|one| one.multiplier == lane).map(|one| one.clock).collect();
            for run in clocks.chunk_by(|one, next| *next == one + 1) {
                bar(task, row_of(lane), run[0], run[run.len() - 1] + 1);
            }
        }
        let (first, last) = scheduled.span(task);
        bar(task, 2, first + depth - 2, last + depth - 1);
        bar(task, 1, last + depth - 1, last + depth);
        if scheduled.slot(task + 1).is_some() || scheduled.delivers(task) {
            bar(task, 0, last + depth, last + depth + 1);
        }
    }
    series
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
