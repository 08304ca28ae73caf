//! Colours, weights and letters.

use plotters::prelude::*;
use plotters::style::register_font;
use std::sync::Once;

/// The name under which the bundled font is known to the drawing library, and what a viewer of an SVG looks
/// for.
pub(crate) const FONT: &str = "Noto Sans, DejaVu Sans, sans-serif";

/// Ink for axes and letters.
pub(crate) const INK: RGBColor = RGBColor(38, 42, 46);
/// Grid lines.
pub(crate) const GRID: RGBColor = RGBColor(224, 226, 228);
/// What was asked for: the region that a curve must stay out of.
pub(crate) const TEMPLATE: RGBColor = RGBColor(231, 225, 213);
/// The first curve: dark, so that it stays dark in grey.
pub(crate) const FIRST: RGBColor = RGBColor(20, 52, 92);
/// The second curve: much lighter in grey, and apart from the first in every kind of colour vision.
pub(crate) const SECOND: RGBColor = RGBColor(232, 146, 44);

/// Stops of the colours of a field, from low to high: each darker than the one before, so that they keep
/// their order in grey.
const HEAT: [RGBColor; 6] = [
    RGBColor(255, 255, 255),
    RGBColor(250, 226, 184),
    RGBColor(236, 160, 74),
    RGBColor(178, 84, 78),
    RGBColor(86, 42, 92),
    RGBColor(14, 26, 56),
];

/// The colour of a value between 0 and 1 of a field.
pub(crate) fn heat(share: f64) -> RGBColor {
    let place = share.clamp(0.0, 1.0) * (HEAT.len() - 1) as f64;
    let below = (place as usize).min(HEAT.len() - 2);
    let rest = place - below as f64;
    let mix = |a: u8, b: u8| (f64::from(a) + (f64::from(b) - f64::from(a)) * rest).round() as u8;
    let (a, b) = (HEAT[below], HEAT[below + 1]);
    RGBColor(mix(a.0, b.0), mix(a.1, b.1), mix(a.2, b.2))
}

/// How a curve is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
pub enum Pen {
    /// A wide, light line that another may lie on.
    Under,
    /// A narrow, dark line.
    Over,
    /// A line as thin as can be, and light.
    Light,
    /// One of several curves of equal rank. Any two of the first seven differ in grey or for every kind of
    /// vision, and those with equal dashes in both; after that the dashes go on.
    Rank(usize),
}

/// Lengths of dash and gap in pixels; nothing for a whole line.
pub(crate) type Dash = Option<(u32, u32)>;

/// The colours of curves of equal rank, with their dashes.
pub(crate) const RANKS: [(RGBColor, Dash); 7] = [
    (FIRST, None),
    (SECOND, None),
    (RGBColor(0, 134, 125), Some((16, 6))),
    (RGBColor(150, 24, 84), Some((4, 4))),
    (RGBColor(118, 190, 240), Some((26, 5))),
    (RGBColor(96, 84, 24), Some((9, 9))),
    (RGBColor(134, 108, 200), Some((2, 6))),
];

impl Pen {
    /// Colour, width in pixels, and dashes.
    pub(crate) fn stroke(self) -> (RGBColor, u32, Dash) {
        match self {
            Pen::Under => (SECOND, 5, None),
            Pen::Over => (FIRST, 2, None),
            Pen::Light => (SECOND, 1, None),
            Pen::Rank(rank) => {
                let (color, dash) = RANKS[rank % RANKS.len()];
                let more = 3 * (rank / RANKS.len()) as u32;
                let dash = if more == 0 { dash } else { dash.or(Some((20, 2))) };
                (color, 3, dash.map(|(on, off)| (on, off + more)))
            }
        }
    }
}

/// Makes the bundled font known, once.
pub(crate) fn load_font() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        // A failure here would show as missing letters in the first figure, which the tests draw.
        let regular = include_bytes!("../fonts/NotoSans-Regular.ttf");
        let bold = include_bytes!("../fonts/NotoSans-Bold.ttf");
        let _ = register_font(FONT, FontStyle::Normal, regular);
        let _ = register_font(FONT, FontStyle::Bold, bold);
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Red, green and blue as light.
    fn light(color: RGBColor) -> [f64; 3] {
        [color.0, color.1, color.2].map(|v| (f64::from(v) / 255.0).powf(2.2))
    }

    /// What someone without red or green cones sees (F. Viénot, H. Brettel and J. D. Mollon, "Digital video
    /// colourmaps for checking the legibility of displays by dichromats", 1999, eqs. 5 and 6 with their
    /// matrices to cone space and back).
    fn seen(color: RGBColor, without_red: bool) -> [f64; 3] {
        let [r, g, b] = light(color);
        let mut l = 17.8824 * r + 43.5161 * g + 4.11935 * b;
        let mut m = 3.45565 * r + 27.1554 * g + 3.86714 * b;
        let s = 0.0299566 * r + 0.184309 * g + 1.46709 * b;
        if without_red {
            l = 2.02344 * m - 2.52581 * s;
        } else {
            m = 0.494207 * l + 1.24827 * s;
        }
        [
            0.0809444479 * l - 0.130504409 * m + 0.116721066 * s,
            -0.0102485335 * l + 0.0540193266 * m - 0.113614708 * s,
            -0.000365296938 * l - 0.00412161469 * m + 0.693511405 * s,
        ]
        .map(|v| 255.0 * v.clamp(0.0, 1.0).powf(1.0 / 2.2))
    }

    /// Lines with the same dashes keep apart in grey and for every kind of vision; lines with other dashes in
    /// one of the two.
    #[test]
    fn pens_keep_apart_in_grey_and_for_colour_blind_eyes() {
        let grey = |color: RGBColor| {
            let [r, g, b] = light(color);
            255.0 * (0.2126 * r + 0.7152 * g + 0.0722 * b).powf(1.0 / 2.2)
        };
        for (i, (one, dash)) in RANKS.iter().enumerate() {
            for (two, other) in &RANKS[i + 1..] {
                let far = |a: [f64; 3], b: [f64; 3]| {
                    a.iter().zip(b).map(|(a, b)| (a - b) * (a - b)).sum::<f64>().sqrt()
                };
                let blind = [true, false].map(|red| far(seen(*one, red), seen(*two, red)));
                let apart = (grey(*one) - grey(*two)).abs();
                let colour = blind[0].min(blind[1]);
                // Lines with the same dashes need both; else the dashes help.
                let enough = if dash == other {
                    apart > 18.0 && colour > 18.0
                } else {
                    apart > 12.0 || colour > 18.0
                };
                assert!(enough, "{one:?} {two:?} {apart} {blind:?}");
            }
        }
        assert_ne!(Pen::Rank(0).stroke(), Pen::Rank(7).stroke());
    }

    /// A higher value is darker, in grey and for every kind of vision, by much the same for every tenth.
    #[test]
    fn fields_grow_darker_evenly() {
        let luminance = |[r, g, b]: [f64; 3]| 0.2126 * r + 0.7152 * g + 0.0722 * b;
        let grey = |color: RGBColor| luminance(light(color).map(|v| 255.0 * v.powf(1.0 / 2.2)));
        for tenth in 0..10 {
            let (low, high) = (heat(f64::from(tenth) / 10.0), heat(f64::from(tenth + 1) / 10.0));
            let step = grey(low) - grey(high);
            assert!((8.0..45.0).contains(&step), "{tenth}: {step}");
            for red in [true, false] {
                assert!(luminance(seen(low, red)) > luminance(seen(high, red)), "{tenth}");
            }
        }
    }
}
