//! The polynomial through given points, by the barycentric formula.

/// The polynomial in x through n points, in the second (true) barycentric form (Berrut & Trefethen, *Barycentric
/// Lagrange interpolation*, 2004, eq. 4.2), which is stable for points spread as they are here.
#[derive(Debug, Clone)]
pub(super) struct Interpolant {
    nodes: Vec<f64>,
    values: Vec<f64>,
    weights: Vec<f64>,
}

/// w_i = 1/∏_{j≠i} (x_i − x_j), up to a common factor.
///
/// With thousands of nodes the products leave the range of f64 in both directions: mantissas and exponents are kept
/// apart, and the largest weight becomes about 1.
pub(super) fn weights(nodes: &[f64]) -> Vec<f64> {
    let split = |product: f64| {
        let (mantissa, exponent) = libm::frexp(product);
        (mantissa, i64::from(exponent))
    };
    let inverse: Vec<(f64, i64)> = nodes
        .iter()
        .enumerate()
        .map(|(i, x)| {
            let (mut mantissa, mut exponent) = (1.0, 0);
            for (j, other) in nodes.iter().enumerate() {
                if i != j {
                    mantissa *= x - other;
                }
                // |x_i − x_j| is above 1e-17: eight factors stay in range.
                if j % 8 == 7 {
                    let (m, e) = split(mantissa);
                    (mantissa, exponent) = (m, exponent + e);
                }
            }
            let (m, e) = split(mantissa);
            (m, exponent + e)
        })
        .collect();
    let least = inverse.iter().map(|(_, exponent)| *exponent).min().unwrap_or(0);
    inverse
        .iter()
        .map(|&(mantissa, exponent)| {
            libm::scalbn(1.0 / mantissa, (least - exponent).max(-4000) as i32)
        })
        .collect()
}

impl Interpolant {
    /// Through (nodes, values), with the weights of the nodes.
    pub(super) fn new(nodes: Vec<f64>, values: Vec<f64>, weights: Vec<f64>) -> Self {
        Interpolant { nodes, values, weights }
    }

    /// The value at x.
    pub(super) fn at(&self, x: f64) -> f64 {
        let (mut above, mut below) = (0.0, 0.0);
        for ((node, value), weight) in self.nodes.iter().zip(&self.values).zip(&self.weights) {
            let distance = x - node;
            if distance == 0.0 {
                return *value;
            }
            let share = weight / distance;
            above += share * value;
            below += share;
        }
        above / below
    }
}
