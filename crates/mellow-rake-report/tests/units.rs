//! What is told and drawn of hardware is what its schedule says.

use mellow_rake::Wish;
use mellow_rake::hardware::{HardwareRecord, HardwareUnit, Scheduled};
use mellow_rake::spec::{Fixed, Hardware, Structure};
use mellow_rake::study::{SharedUnit, Study};
use mellow_rake::window::Window;
use mellow_rake_figures::{Panel, Shape};
use mellow_rake_report::{figure, page};

fn studies() -> Vec<Study> {
    let words = |structure| Fixed::new(structure, "s16f15".parse().unwrap());
    let mut all = Vec::new();
    for multipliers in [None, Some(1), Some(2), Some(3), Some(5)] {
        let hardware = Hardware { multipliers, ..Hardware::default() };
        let low = Wish::lowpass("1 kHz").cutoff("90 Hz");
        for structure in [Structure::DirectForm1, Structure::LatticeLadder] {
            let order = if structure == Structure::DirectForm1 { 6 } else { 3 };
            let wish = low.clone().butterworth(order).words(words(structure));
            all.push(wish.hardware(hardware).study().unwrap());
        }
        let taps = low.window(Window::Hann, Some(21)).words(words(Structure::FirDirect));
        all.push(taps.clone().hardware(hardware).study().unwrap());
        let wide = Hardware { samples_per_clock: 3, ..Hardware::default() };
        all.push(taps.hardware(wide).study().unwrap());
    }
    all
}

/// Clocks that are drawn beside a name.
fn drawn(panel: &Panel, name: &str) -> f64 {
    let row = panel.y.names.iter().position(|known| known == name).unwrap() as f64;
    let width = |shape: &Shape| match shape {
        Shape::Band(points)
            if points[0].1 < row && row < points[0].2 && points[0].2 < row + 1.0 =>
        {
            points[1].0 - points[0].0
        }
        _ => 0.0,
    };
    let tasks = panel.series.iter().filter(|series| series.name != "the next sample begins");
    tasks.map(|series| width(&series.shape)).sum()
}

#[test]
fn units_are_told_and_drawn_as_they_are() {
    let (mut one, mut several, mut parallel) = (0, 0, 0);
    for study in studies() {
        let choice = study.hardware().unwrap().unwrap();
        let record = HardwareRecord::of(choice).unwrap();
        let page = page::hardware("swell", study.spec.sample_rate, choice, &record, &[]);
        let text = page.text(80);
        let said = |what: &str| assert!(text.contains(what), "{what}\n{text}");
        let clocks = |count: usize| format!("{count} clock{}", if count == 1 { "" } else { "s" });
        said(&format!("every {}", clocks(choice.unit.interval())));
        said(&format!("output {} later", clocks(choice.unit.latency())));
        assert!(text.lines().all(|line| line.chars().count() <= 80), "{text}");
        // Each product is a clock of its multiplier.
        let busy = |panel: &Panel, stage: &Scheduled| {
            let lanes = 1..=stage.resources().multipliers.min(8);
            let drawn: f64 = lanes.map(|lane| drawn(panel, &format!("multiplier {lane}"))).sum();
            assert_eq!(drawn, stage.schedule().issues.len() as f64);
        };
        match &choice.unit {
            HardwareUnit::Serial(unit) => {
                busy(&figure::schedule("swell", unit).panels[0], unit);
                one += 1;
            }
            HardwareUnit::Staged(staged) => {
                said(&format!("{} units one behind the other", staged.stages().len()));
                let sheet = figure::staged("swell", staged);
                assert_eq!(sheet.panels.len(), staged.stages().len());
                sheet
                    .panels
                    .iter()
                    .zip(staged.stages())
                    .for_each(|(panel, unit)| busy(panel, unit));
                several += 1;
            }
            HardwareUnit::Parallel(_) => {
                said("3 samples a clock");
                parallel += 1;
            }
        }
    }
    assert!(one >= 10 && several >= 3 && parallel == 5, "{one} {several} {parallel}");
}

#[test]
fn filters_that_take_turns_are_told_and_drawn_in_their_own_clocks() {
    let mut studies = studies();
    studies.retain(|study| study.spec.hardware.unwrap().samples_per_clock == 1);
    for group in studies.windows(3) {
        let shared = SharedUnit::of(&group[0], &[&group[1], &group[2]]).unwrap();
        let unit = &shared.choice().unit;
        let record = shared.record().unwrap();
        let text = page::shared_unit(&shared, &record, &[]).text(80);
        assert!(text.lines().all(|line| line.chars().count() <= 80), "{text}");
        assert!(text.contains("2 filters beside it on"), "{text}");
        let every = format!("a sample of each filter every {} clocks", unit.interval());
        assert!(text.contains(&every), "{text}");
        let names = ["first", "second", "third"].map(str::to_owned);
        let sheet = figure::time_shared(&names, unit);
        let panel = &sheet.panels[0];
        let turns = unit.filters().iter().zip(unit.starts()).zip(&names);
        for ((filter, start), name) in turns {
            let told = format!("from clock {start} of a round on, {} clock", filter.interval());
            assert!(text.contains(&told), "{told}\n{text}");
            let own = panel.series.iter().filter(|series| series.name == *name).cloned();
            let own = Panel { series: own.collect(), ..panel.clone() };
            let lanes = 1..=filter.resources().multipliers.min(8);
            let busy: f64 = lanes.map(|lane| drawn(&own, &format!("multiplier {lane}"))).sum();
            assert_eq!(busy, filter.schedule().issues.len() as f64, "{name}");
            // From its start on, and out of the unit when its last result has been written.
            let clocks = own.series.iter().flat_map(|series| match &series.shape {
                Shape::Band(points) => points.iter().map(|point| point.0).collect(),
                _ => Vec::new(),
            });
            let (start, depth) = (start as f64, filter.schedule().depth() as f64);
            let last = start + filter.interval() as f64 + depth;
            assert!(clocks.into_iter().all(|clock| start <= clock && clock <= last), "{name}");
        }
    }
}
