//! The coupled (normal) form of a section.

use crate::filter::Section;

/// s1\[n+1\] = a11·s1 + a12·s2 + b1·x, s2\[n+1\] = a21·s1 + a22·s2 + b2·x, y = c1·s1 + c2·s2 + d·x.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CoupledSection {
    /// a11, a12, a21, a22.
    pub a: [f64; 4],
    /// b1, b2.
    pub b: [f64; 2],
    /// c1, c2.
    pub c: [f64; 2],
    /// From the input to the output.
    pub d: f64,
}

impl CoupledSection {
    /// a11, a12, b1, a21, a22, b2, c1, c2, d.
    pub fn row(&self) -> [f64; 9] {
        let CoupledSection { a, b, c, d } = *self;
        [a[0], a[1], b[0], a[2], a[3], b[1], c[0], c[1], d]
    }

    /// The section of such a row.
    pub fn from_row(row: [f64; 9]) -> Self {
        let [a11, a12, b1, a21, a22, b2, c1, c2, d] = row;
        CoupledSection { a: [a11, a12, a21, a22], b: [b1, b2], c: [c1, c2], d }
    }

    /// The transfer function: d + C·(zI − A)⁻¹·B.
    pub fn section(&self) -> Section {
        let CoupledSection { a: [a11, a12, a21, a22], b: [b1, b2], c: [c1, c2], d } = *self;
        let (p1, p2) = (-(a11 + a22), a11 * a22 - a12 * a21);
        let first = c1 * b1 + c2 * b2;
        let second = c1 * (a12 * b2 - a22 * b1) + c2 * (a21 * b1 - a11 * b2);
        Section { b: [d, d * p1 + first, d * p2 + second], a: [p1, p2] }
    }

    /// From the input to each of the states.
    pub fn to_states(&self) -> [Section; 2] {
        let state = |c| CoupledSection { c, d: 0.0, ..*self }.section();
        [state([1.0, 0.0]), state([0.0, 1.0])]
    }
}

/// A section with its states on the real and imaginary part of its pair of poles σ ± jω, or one behind the
/// other on two real poles (C. M. Rader & B. Gold, "Effects of parameter quantization on the poles of a
/// digital filter", 1967); the input is scaled by a power of two so that no input of size 1 takes a state
/// beyond 1.
///
/// ```
/// use mellow_rake::convert::coupled;
/// use mellow_rake::filter::Section;
/// let section = Section { b: [0.2, 0.1, -0.3], a: [-1.8, 0.9] };
/// let found = coupled(&section);
/// assert!((found.a[0] - 0.9).abs() < 1e-15 && (found.a[0] - found.a[3]).abs() < 1e-15);
/// let back = found.section();
/// assert!(back.b.iter().zip(section.b).all(|(x, y)| (x - y).abs() < 1e-14));
/// ```
pub fn coupled(section: &Section) -> CoupledSection {
    let Section { b: [d, n1, n2], a: [p1, p2] } = *section;
    let (first, second) = (n1 - p1 * d, n2 - p2 * d);
    let sigma = -p1 / 2.0;
    let square = p2 - sigma * sigma;
    let with = |a: [f64; 4], gain: f64| {
        // C·(zI − A)⁻¹·B with b2 = 0: gain·(c1·(z − a22) + c2·a21) over the polynomial of the poles.
        let c1 = first / gain;
        let c2 = if a[2] == 0.0 { 0.0 } else { (second + first * a[3]) / (gain * a[2]) };
        CoupledSection { a, b: [gain, 0.0], c: [c1, c2], d }
    };
    let a = if square > 0.0 {
        let omega = libm::sqrt(square);
        [sigma, -omega, omega, sigma]
    } else {
        let root = libm::sqrt(-square);
        // The pole of larger size first: what comes behind it is smaller.
        let (one, two) = (sigma + root.copysign(sigma), sigma - root.copysign(sigma));
        [one, 0.0, (1.0 - two.abs()).clamp(1.0 / 64.0, 1.0), two]
    };
    let largest = with(a, 1.0).to_states().iter().map(Section::l1_norm).fold(1e-30, f64::max);
    with(a, libm::exp2(-libm::ceil(libm::log2(largest))))
}
