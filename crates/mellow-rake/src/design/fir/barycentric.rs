//! The polynomial through given points, by the barycentric formula.

/// The polynomial in x through n points, in the second (true) barycentric form (Berrut & Trefethen,
/// *Barycentric Lagrange interpolation*, 2004, eq. 4.2), which is stable for points spread as they are here.
#[derive(Debug, Clone)]
pub(super) struct Interpolant {
    nodes: Vec<f64>,
    values: Vec<f64>,
    weights: Vec<f64>,
}

/// w_i = 1/∏_{j≠i} (x_i − x_j), up to a common factor.
///
/// With thousands of nodes the products leave the range of f64 in both directions: mantissas and exponents
/// are kept apart, and the largest weight becomes about 1.
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

    /// Terms of its sums.
    pub(super) fn terms(&self) -> u64 {
        self.nodes.len() as u64
    }

    /// The value at x.
    pub(super) fn at(&self, x: f64) -> f64 {
        // Four sums each, that do not wait for each other.
        const LANES: usize = 4;
        let (mut above, mut below) = ([0.0; LANES], [0.0; LANES]);
        let nodes = self.nodes.chunks_exact(LANES);
        let values = self.values.chunks_exact(LANES);
        let weights = self.weights.chunks_exact(LANES);
        let rest = nodes.remainder().iter().zip(values.remainder()).zip(weights.remainder());
        for ((node, value), weight) in rest {
            let share = weight / (x - node);
            above[0] += share * value;
            below[0] += share;
        }
        for ((nodes, values), weights) in nodes.zip(values).zip(weights) {
            let mut shares = [0.0; LANES];
            for lane in 0..LANES {
                shares[lane] = weights[lane] / (x - nodes[lane]);
            }
            for lane in 0..LANES {
                above[lane] += shares[lane] * values[lane];
                below[lane] += shares[lane];
            }
        }
        let sum = |lanes: [f64; LANES]| (lanes[0] + lanes[1]) + (lanes[2] + lanes[3]);
        let found = sum(above) / sum(below);
        if found.is_finite() {
            return found;
        }
        // On a node the formula is 0/0.
        let on = self.nodes.iter().position(|node| *node == x);
        on.map_or(found, |at| self.values[at])
    }
}
