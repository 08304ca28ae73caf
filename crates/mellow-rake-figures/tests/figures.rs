//! Figures as their users meet them: words where they belong, curves inside their panels, bad data refused.

use mellow_rake_figures::{
    Axis, FigureError, Format, Panel, Pen, Region, Series, Shape, Sheet, SketchStyle, draw, sketch,
};

fn line(level: impl Fn(f64) -> f64) -> Shape {
    Shape::Line((0..=1000).map(|k| f64::from(k) / 2.0).map(|f| (f, level(f))).collect())
}

fn series(name: &str, pen: Pen, shape: Shape) -> Series {
    Series { name: name.to_owned(), pen, shape }
}

fn panel(title: &str, series: Vec<Series>, forbidden: Vec<Region>) -> Panel {
    let x = Axis::linear("frequency", "Hz", (0.0, 500.0));
    let y = Axis::linear("gain", "dB", (-90.0, 6.0));
    Panel { series, forbidden, ..Panel::new(title, x, y) }
}

fn sheet(panels: Vec<Panel>) -> Sheet {
    Sheet { title: "buoy_band".to_owned(), panels }
}

/// Red, green and blue of every pixel.
fn pixels(png: &[u8]) -> (usize, Vec<[u8; 3]>) {
    let mut reader = png::Decoder::new(std::io::Cursor::new(png)).read_info().unwrap();
    let mut bytes = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut bytes).unwrap();
    assert_eq!((info.width, info.height), (1280, 800));
    (info.width as usize, bytes.chunks_exact(3).map(|p| [p[0], p[1], p[2]]).collect())
}

fn svg(sheet: &Sheet) -> String {
    String::from_utf8(draw(sheet, Format::Svg).unwrap()).unwrap()
}

#[test]
fn every_panel_names_its_axes_and_the_legend_its_curves_once() {
    let region = Region { x: (200.0, 500.0), y: (-40.0, f64::INFINITY) };
    for count in 1..=9 {
        let panels = (0..count).map(|k| {
            let curves = vec![
                series("designed", Pen::Under, line(|f| -f / 10.0)),
                series("rounded", Pen::Over, line(|f| -f / 9.0)),
            ];
            panel(&format!("panel {k}"), curves, vec![region])
        });
        let text = svg(&sheet(panels.collect()));
        let times = |words: &str| text.matches(words).count();
        assert_eq!((times("frequency in Hz"), times("gain in dB")), (count, count));
        for words in ["buoy_band", "panel 0", "not allowed", "designed", "rounded"] {
            assert_eq!(times(words), 1, "{words}");
        }
    }
    // Without a template nothing is shaded, and nothing is said about it.
    let plain = svg(&sheet(vec![panel("x", vec![series("a", Pen::Over, line(|_| 0.0))], vec![])]));
    assert!(!plain.contains("not allowed"));
    // Many names take lines of their own, inside the picture.
    let many = (0..12).map(|k| {
        series(
            &format!("order {k} of a long name"),
            Pen::Rank(k),
            line(move |f| -f / (k as f64 + 1.0)),
        )
    });
    let text = svg(&sheet(vec![panel("x", many.collect(), vec![])]));
    for k in 0..12 {
        assert!(text.contains(&format!("order {k} of")));
    }
    let right = text.split("x=\"").skip(1).filter_map(|t| t.split('"').next()?.parse::<f64>().ok());
    assert!(right.fold(0.0, f64::max) < 1280.0);
}

/// What is drawn is what was given: a flat curve is a line across the panel, a forbidden region shades it,
/// and a curve below the panel leaves it empty.
#[test]
fn curves_and_regions_are_drawn_where_they_belong() {
    let shade = Region { x: (0.0, 500.0), y: (-f64::INFINITY, -45.0) };
    let flat = |level: f64| vec![series("", Pen::Under, line(move |_| level))];
    let picture = |panel: Panel| pixels(&draw(&sheet(vec![panel]), Format::Png).unwrap());
    let (width, drawn) = picture(panel("x", flat(-20.0), vec![shade]));
    let (_, empty) = picture(panel("x", flat(-200.0), vec![]));
    let orange = |p: &[u8; 3]| p[0] > 200 && p[2] < 100;
    let shaded = |p: &[u8; 3]| *p == [231, 225, 213];
    let rows = |pixels: &[[u8; 3]], of: &dyn Fn(&[u8; 3]) -> bool| {
        (60..800)
            .filter(|y| (100..1240).filter(|x| of(&pixels[y * width + x])).count() > 1000)
            .count()
    };
    let found = rows(&drawn, &orange);
    assert!((3..=6).contains(&found), "a line five pixels thick: {found}");
    assert!(rows(&drawn, &shaded) > 280, "half of the panel is shaded");
    assert_eq!((rows(&empty, &orange), rows(&empty, &shaded)), (0, 0));
    // On a logarithmic axis a decade takes the same width everywhere: stems at 1, 10 and 100 of 1 to 1000.
    let mut log = panel("x", vec![], vec![]);
    log.x = Axis::logarithmic("frequency", "Hz", (1.0, 1000.0));
    let points = [1.0, 10.0, 100.0, 1000.0].map(|hz| (hz, -10.0)).to_vec();
    log.series = vec![series("", Pen::Under, Shape::Stems(points))];
    let (_, drawn) = picture(log);
    let columns: Vec<usize> = (0..width)
        .filter(|x| (100..700).filter(|y| orange(&drawn[y * width + x])).count() > 40)
        .collect();
    let mut groups: Vec<usize> = Vec::new();
    for x in columns {
        if groups.last().is_none_or(|last| x > last + 8) {
            groups.push(x);
        }
    }
    assert!(groups.len() >= 3, "{groups:?}");
    assert!(groups.windows(3).all(|g| (g[2] - g[1]).abs_diff(g[1] - g[0]) <= 4), "{groups:?}");
}

#[test]
fn data_that_cannot_be_drawn_are_refused() {
    let refused = |shape: Shape| {
        let bad = panel("x", vec![series("", Pen::Over, shape)], vec![]);
        let error = draw(&sheet(vec![bad]), Format::Png).unwrap_err();
        assert!(matches!(error, FigureError::Data { .. }), "{error}");
    };
    refused(line(|_| f64::NAN));
    refused(Shape::Line(vec![(0.0, 0.0)]));
    refused(Shape::Band(vec![(0.0, f64::NAN, 1.0)]));
    let mut flat = panel("x", vec![], vec![]);
    flat.y.range = (1.0, 1.0);
    for panels in [vec![], vec![flat], vec![panel("x", vec![], vec![]); 10]] {
        assert!(draw(&sheet(panels), Format::Svg).is_err());
    }
}

/// A sketch keeps to its columns in every style, and its curve to its places: a falling line goes from the
/// upper left to the lower right.
#[test]
fn a_sketch_fits_and_shows_the_slope() {
    let mut slope =
        panel("a slope", vec![series("", Pen::Over, line(|f| -f / 500.0 * 90.0))], vec![]);
    slope.y.range = (-90.0, 0.0);
    for style in [SketchStyle::Braille, SketchStyle::Blocks, SketchStyle::Ascii] {
        for columns in [40, 80, 133] {
            let text = sketch(&slope, columns, style).unwrap();
            assert!(text.lines().all(|line| line.chars().count() <= columns), "{text}");
            assert_eq!(text.is_ascii(), style == SketchStyle::Ascii, "{text}");
            assert!(text.contains("gain in dB") && text.contains("frequency in Hz"));
            let rows: Vec<Vec<char>> =
                text.lines().skip(1).take(16).map(|l| l.chars().collect()).collect();
            // Beyond the axis: where the first and the last mark of each row stand.
            let mark = |row: &Vec<char>| row.iter().skip(10).position(|c| *c != ' ');
            let places: Vec<usize> = rows.iter().filter_map(mark).collect();
            assert_eq!(places.len(), 16, "{text}");
            assert!(places.windows(2).all(|pair| pair[0] <= pair[1]), "{places:?}\n{text}");
        }
    }
    slope.x.range = (1.0, 1.0);
    assert!(sketch(&slope, 80, SketchStyle::Braille).is_err());
}
