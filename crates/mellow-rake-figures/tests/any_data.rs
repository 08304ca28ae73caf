//! Whatever it is given, a figure is drawn or refused: nothing ends the program, and nothing is drawn outside
//! the picture.

use mellow_rake_figures::{
    Axis, Cells, Format, Panel, Pen, Region, Series, Shape, Sheet, SketchStyle, draw, record_line,
    sketch,
};
use proptest::prelude::*;

/// Numbers that come up and numbers that should not.
fn number() -> impl Strategy<Value = f64> {
    prop_oneof![
        4 => -100.0f64..100.0,
        1 => -1e-9f64..1e-9,
        1 => -1e15f64..1e15,
        1 => prop::sample::select(vec![0.0, f64::INFINITY, f64::NEG_INFINITY, f64::NAN, f64::MAX,
            f64::MIN_POSITIVE]),
    ]
}

fn axis() -> impl Strategy<Value = Axis> {
    let unit = prop::sample::select(vec!["Hz", "dB", "s", "V", ""]);
    let names = prop::collection::vec("[a-z0-9 ]{0,6}", 0..5);
    (unit, number(), number(), any::<bool>(), names).prop_map(
        |(unit, a, b, is_logarithmic, names)| Axis {
            is_logarithmic,
            names,
            ..Axis::linear("name", unit, (a, b))
        },
    )
}

fn series() -> impl Strategy<Value = Series> {
    let points = prop::collection::vec((number(), number()), 0..40);
    let shape = (points, 0..7usize, any::<bool>()).prop_map(|(mut points, kind, sorted)| {
        if sorted {
            points.sort_by(|a, b| a.0.total_cmp(&b.0));
        }
        match kind {
            0 => Shape::Line(points),
            1 => Shape::Stems(points),
            2 => Shape::Zeros(points.into_iter().map(|(x, y)| (x, y, 2)).collect()),
            3 => Shape::Poles(points.into_iter().map(|(x, y)| (x, y, 1)).collect()),
            4 => Shape::Dots(points),
            5 => {
                let columns = points.iter().map(|(x, y)| vec![*x, *y, x + y]).collect();
                let end = |k: usize| points.get(k).copied().unwrap_or((0.0, 1.0));
                Shape::Cells(Cells { x: end(0), y: end(1), columns, range: end(2) })
            }
            _ => Shape::Band(points.into_iter().map(|(x, y)| (x, y, y + 1.0)).collect()),
        }
    });
    ("[a-z <>&]{0,12}", 0..12usize, shape).prop_map(|(name, rank, shape)| Series {
        name,
        pen: Pen::Rank(rank),
        shape,
    })
}

fn panel() -> impl Strategy<Value = Panel> {
    let region = (number(), number(), number(), number())
        .prop_map(|(a, b, c, d)| Region { x: (a, b), y: (c, d) });
    let parts = (
        axis(),
        axis(),
        prop::collection::vec(series(), 0..4),
        prop::collection::vec(region, 0..3),
    );
    (parts, any::<bool>(), "[ -~]{0,20}").prop_map(
        |((x, y, series, forbidden), has_circle, note)| Panel {
            series,
            forbidden,
            has_circle,
            note,
            ..Panel::new("a panel", x, y)
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn a_sheet_is_drawn_or_refused(panels in prop::collection::vec(panel(), 0..4)) {
        let sheet = Sheet { title: "buoy".to_owned(), panels };
        if let Ok(bytes) = draw(&sheet, Format::Svg) {
            let text = String::from_utf8(bytes).unwrap();
            prop_assert!(text.starts_with("<svg") && text.trim_end().ends_with("</svg>"));
            // What a user calls a curve cannot become part of the picture's own language.
            prop_assert!(!text.contains("<a") && !text.contains("NaN"));
        }
    }

    #[test]
    fn a_sketch_is_drawn_or_refused(panel in panel(), columns in 0usize..500, style in 0..3usize) {
        let style = [SketchStyle::Braille, SketchStyle::Blocks, SketchStyle::Ascii][style];
        if let Ok(text) = sketch(&panel, columns, style) {
            let most = columns.clamp(40, 400);
            prop_assert!(text.lines().all(|line| line.chars().count() <= most), "{text}");
        }
    }

    /// Thinned or not, a record keeps its first and last time, and its extremes.
    #[test]
    fn a_thinned_record_keeps_its_extremes(values in prop::collection::vec(-1e6f64..1e6, 2..9000)) {
        let points = record_line(1.0, 0.5, &values);
        prop_assert!(points.len() <= 2400 && points[0].0 == 1.0);
        prop_assert_eq!(points[points.len() - 1].0, 1.0 + 0.5 * (values.len() - 1) as f64);
        let extreme = |pick: fn(f64, f64) -> f64, of: &mut dyn Iterator<Item = f64>| of.reduce(pick).unwrap();
        for pick in [f64::min as fn(f64, f64) -> f64, f64::max] {
            let whole = extreme(pick, &mut values.iter().copied());
            let drawn = extreme(pick, &mut points.iter().map(|point| point.1));
            prop_assert_eq!(whole, drawn);
        }
    }
}
