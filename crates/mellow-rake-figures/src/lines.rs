//! Curves in the parts that can be drawn.

use std::ops::Range;

/// The pieces of a curve that lie within a range of levels, each cut off where it leaves it.
pub(crate) fn pieces(points: &[(f64, f64)], levels: &Range<f64>) -> Vec<Vec<(f64, f64)>> {
    let mut all = Vec::new();
    let mut piece: Vec<(f64, f64)> = Vec::new();
    let inside = |y: f64| (levels.start..=levels.end).contains(&y);
    for (index, &(x, y)) in points.iter().enumerate() {
        if let Some(&(x0, y0)) = index.checked_sub(1).map(|before| &points[before]) {
            // Where the step from the point before crosses the ends of the range, in its own order.
            let mut crossings: Vec<f64> = [levels.start, levels.end]
                .into_iter()
                .filter(|level| (y0 - level) * (y - level) < 0.0)
                .map(|level| (level - y0) / (y - y0))
                .collect();
            crossings.sort_by(f64::total_cmp);
            for share in crossings {
                let level = (y0 + share * (y - y0)).clamp(levels.start, levels.end);
                piece.push((x0 + share * (x - x0), level));
                if piece.len() > 1 {
                    all.push(std::mem::take(&mut piece));
                }
            }
        }
        if inside(y) {
            piece.push((x, y));
        } else if !piece.is_empty() && index > 0 && inside(points[index - 1].1) {
            piece.clear();
        }
    }
    if piece.len() > 1 {
        all.push(piece);
    }
    all
}

/// A piece in parts that have no sharp bends, measured in pixels per unit of x and y. The corner of a wide
/// line at a sharp bend, as at the bottom of a null, would be drawn far beyond the point itself.
pub(crate) fn straightened(piece: &[(f64, f64)], scale: (f64, f64)) -> Vec<Vec<(f64, f64)>> {
    let step = |a: (f64, f64), b: (f64, f64)| ((b.0 - a.0) * scale.0, (b.1 - a.1) * scale.1);
    // A point that stands twice would hide the bend between its two steps.
    let mut piece = piece.to_vec();
    piece.dedup();
    let mut all = vec![Vec::new()];
    for (index, &point) in piece.iter().enumerate() {
        let last = all.len() - 1;
        all[last].push(point);
        if index == 0 || index + 1 == piece.len() {
            continue;
        }
        let (a, b) = (step(piece[index - 1], point), step(point, piece[index + 1]));
        let along = a.0 * b.0 + a.1 * b.1;
        if along < 0.5 * a.0.hypot(a.1) * b.0.hypot(b.1) {
            all.push(vec![point]);
        }
    }
    all
}

/// The part of a curve with rising x that lies within a range of x, cut off at its ends.
pub(crate) fn between(points: &[(f64, f64)], range: &Range<f64>) -> Vec<(f64, f64)> {
    let mut kept = Vec::with_capacity(points.len());
    let cut =
        |a: (f64, f64), b: (f64, f64), x: f64| (x, a.1 + (b.1 - a.1) * (x - a.0) / (b.0 - a.0));
    for (index, &point) in points.iter().enumerate() {
        if let Some(&before) = index.checked_sub(1).map(|before| &points[before]) {
            for x in [range.start, range.end] {
                if before.0 < x && x < point.0 {
                    kept.push(cut(before, point, x));
                }
            }
        }
        if (range.start..=range.end).contains(&point.0) {
            kept.push(point);
        }
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::{between, pieces, straightened};

    #[test]
    fn a_curve_is_cut_at_the_ends_of_the_axis() {
        let line = [(0.0, 0.0), (10.0, 10.0)];
        assert_eq!(between(&line, &(2.0..5.0)), [(2.0, 2.0), (5.0, 5.0)]);
        assert_eq!(between(&line, &(-1.0..20.0)), line);
        assert!(between(&line, &(11.0..12.0)).is_empty());
    }

    #[test]
    fn sharp_bends_part_a_piece() {
        let null = [(0.0, 0.0), (1.0, -9.0), (2.0, 0.0), (3.0, 0.1)];
        let parts = straightened(&null, (1.0, 1.0));
        assert_eq!(parts, [null[..2].to_vec(), null[1..3].to_vec(), null[2..].to_vec()]);
        assert_eq!(straightened(&null, (100.0, 1.0)), [null.to_vec()]);
        let twice = [null[0], null[1], null[1], null[2], null[3]];
        assert_eq!(straightened(&twice, (1.0, 1.0)), parts);
    }

    #[test]
    fn a_curve_is_cut_where_it_leaves_the_range_and_goes_on_where_it_comes_back() {
        let dip = [(0.0, 0.0), (1.0, 0.0), (2.0, -2.0), (3.0, 0.0), (4.0, 0.0)];
        let cut = pieces(&dip, &(-1.0..1.0));
        let expected = vec![
            vec![(0.0, 0.0), (1.0, 0.0), (1.5, -1.0)],
            vec![(2.5, -1.0), (3.0, 0.0), (4.0, 0.0)],
        ];
        assert_eq!(cut, expected);
        // Through the whole range in one step, and never inside.
        assert_eq!(pieces(&[(0.0, -2.0), (1.0, 2.0)], &(-1.0..1.0)), [[(0.25, -1.0), (0.75, 1.0)]]);
        assert!(pieces(&[(0.0, 5.0), (1.0, 6.0)], &(-1.0..1.0)).is_empty());
    }
}
