//! Figures as their users meet them: words where they belong, curves inside their panels, bad data refused.

use mellow_rake_figures::{
    BeforeAfter, Curve, FigureError, Format, Region, ResponseFigure, SignalPair, View, draw,
};

fn curve(level: impl Fn(f64) -> f64) -> Curve {
    let hertz: Vec<f64> = (0..=1000).map(|k| f64::from(k) / 2.0).collect();
    let decibels = hertz.iter().map(|f| level(*f)).collect();
    Curve { hertz, decibels }
}

fn response<'a>(
    designed: &'a Curve,
    rounded: Option<&'a Curve>,
    forbidden: &'a [Region],
) -> ResponseFigure<'a> {
    let view = |title, hertz, decibels| View { title, hertz, decibels };
    ResponseFigure {
        designed,
        rounded,
        forbidden,
        views: [
            view("buoy_band: whole range", (0.0, 500.0), (-90.0, 6.0)),
            view("around the edges", (50.0, 150.0), (-60.0, 4.0)),
            view("pass-band at its own scale", (0.0, 100.0), (-0.5, 0.2)),
        ],
    }
}

/// Red, green and blue of every pixel.
fn pixels(png: &[u8]) -> (usize, Vec<[u8; 3]>) {
    let mut reader = png::Decoder::new(std::io::Cursor::new(png)).read_info().unwrap();
    let mut bytes = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut bytes).unwrap();
    assert_eq!((info.width, info.height), (1280, 800));
    (info.width as usize, bytes.chunks_exact(3).map(|p| [p[0], p[1], p[2]]).collect())
}

#[test]
fn every_panel_names_its_axes_and_the_legend_its_curves() {
    let designed = curve(|f| -f / 10.0);
    let region = Region { hertz: (200.0, 500.0), decibels: (-40.0, f64::INFINITY) };
    let forbidden = [region];
    let figure = response(&designed, Some(&designed), &forbidden);
    let svg = String::from_utf8(draw(&figure, Format::Svg).unwrap()).unwrap();
    let count = |words: &str| svg.matches(words).count();
    assert_eq!((count("frequency in Hz"), count("gain in dB")), (3, 3));
    for words in
        ["buoy_band: whole range", "around the edges", "not allowed", "designed", "rounded"]
    {
        assert_eq!(count(words), 1, "{words}");
    }
    // Before it is quantized there is no second curve to name; without a template nothing is shaded.
    let svg =
        String::from_utf8(draw(&response(&designed, None, &[]), Format::Svg).unwrap()).unwrap();
    assert!(!svg.contains("rounded") && !svg.contains("not allowed"));
}

/// What is drawn is what was given: a flat curve is a dark line across the panel, a forbidden region shades it, and a
/// curve below the panel leaves it empty.
#[test]
fn curves_and_regions_are_drawn_where_they_belong() {
    let shade = Region { hertz: (0.0, 500.0), decibels: (-f64::INFINITY, -45.0) };
    let flat = curve(|_| -20.0);
    let (width, drawn) = pixels(&draw(&response(&flat, None, &[shade]), Format::Png).unwrap());
    let low = curve(|_| -200.0);
    let (_, empty) = pixels(&draw(&response(&low, None, &[]), Format::Png).unwrap());
    let orange = |p: &[u8; 3]| p[0] > 200 && p[2] < 100;
    let shaded = |p: &[u8; 3]| *p == [231, 225, 213];
    // The top panel ends at 400 pixels; the legend stands in the first 26.
    let panel = |pixels: &[[u8; 3]], of: &dyn Fn(&[u8; 3]) -> bool| {
        (26..400)
            .filter(|y| (100..1240).filter(|x| of(&pixels[y * width + x])).count() > 1000)
            .count()
    };
    let rows = panel(&drawn, &orange);
    assert!((3..=6).contains(&rows), "a line five pixels thick: {rows}");
    assert!(panel(&drawn, &shaded) > 120, "half of the panel is shaded");
    assert_eq!((panel(&empty, &orange), panel(&empty, &shaded)), (0, 0));
}

#[test]
fn data_that_cannot_be_drawn_are_refused() {
    let good = curve(|_| 0.0);
    let mut short = good.clone();
    short.decibels.pop();
    let nan = curve(|_| f64::NAN);
    let nothing = Curve { hertz: Vec::new(), decibels: Vec::new() };
    for bad in [&short, &nan, &nothing] {
        let error = draw(&response(&good, Some(bad), &[]), Format::Png).unwrap_err();
        assert!(matches!(error, FigureError::Data { .. }), "{error}");
    }
    let signal = |before: &[f64], zoom| {
        let whole = SignalPair { start_s: 0.0, period_s: 1e-3, before, after: before };
        draw(&BeforeAfter { title: "t", unit: "counts", whole, zoom }, Format::Png).map(drop)
    };
    let wave: Vec<f64> = (0..50_000).map(|n| f64::from(n % 40)).collect();
    assert!(signal(&wave, (1.0, 2.0)).is_ok(), "a long record is drawn as an envelope");
    assert!(signal(&wave[..100], (0.0, 0.05)).is_ok() && signal(&[3.0; 100], (0.0, 0.05)).is_ok());
    assert!(signal(&[], (0.0, 1.0)).is_err() && signal(&wave, (70.0, 80.0)).is_err());
    assert!(signal(&[0.0, f64::INFINITY, 0.0], (0.0, 1.0)).is_err());
}
