//! Phase and delay of filters.

use super::Transfer;
use super::complex::modulus;
use num_complex::Complex64;
use std::f64::consts::PI;

/// So many halvings at most of a step of phase: what then still jumps is a zero that f64 cannot tell from one
/// on the circle, and next to it there is only rounding to follow.
const DEPTH: u32 = 16;

/// A zero or pole as seen from the unit circle.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Landmark {
    /// Its angle, 0 to π radians per sample.
    pub omega: f64,
    /// Its distance from the unit circle: about half the width, in radians, of what it does to the response.
    pub distance: f64,
}

/// A transfer function of which phase and delay are known analytically.
///
/// ```
/// use mellow_rake::filter::{PhaseResponse, Taps};
/// let late = Taps(vec![0.0, 0.0, 0.5, 0.5]);
/// assert_eq!(late.group_delay(1.0), 2.5);
/// let phase = late.phase(&[0.0, 1.0, 3.0]);
/// assert!((phase[2] + 7.5).abs() < 1e-12, "unwrapped: {phase:?}");
/// ```
pub trait PhaseResponse: Transfer {
    /// Group delay −dφ/dω in samples at the angle ω, 0 to π radians per sample. A zero on the unit circle,
    /// where the phase jumps, counts with the slope on both sides of the jump.
    fn group_delay(&self, omega: f64) -> f64;

    /// The unwrapped phase in radians at rising angles from 0 to π: continuous but for the jumps by π at
    /// zeros on the unit circle, and within (−π, π] at angle 0.
    ///
    /// Where no closed form is at hand it is [followed](PhaseResponse::followed_phase).
    fn phase(&self, omegas: &[f64]) -> Vec<f64> {
        self.followed_phase(omegas)
    }

    /// The unwrapped phase followed from angle 0 on: each step is predicted from the group delay at both
    /// ends, and halved until the prediction errs by less than 0.6 and the ends agree (J. M. Tribolet, "A new
    /// phase unwrapping algorithm", 1977, section III).
    fn followed_phase(&self, omegas: &[f64]) -> Vec<f64> {
        let steps = 64 + 4 * self.extent();
        let mut angles: Vec<f64> = (0..=steps).map(|k| PI * k as f64 / steps as f64).collect();
        angles.extend(omegas.iter().filter(|omega| **omega > 0.0));
        angles.sort_by(f64::total_cmp);
        angles.dedup();
        let look =
            |omega: f64| Place { omega, h: self.response(omega), delay: self.group_delay(omega) };
        let places: Vec<Place> = angles.into_iter().map(look).collect();
        // Below this there is no phase but that of rounding.
        let nothing = 1e-12 * places.iter().map(|place| modulus(place.h)).fold(0.0, f64::max);
        let Some(first) = places.iter().find(|place| modulus(place.h) > nothing) else {
            return vec![0.0; omegas.len()];
        };
        let mut here = first;
        let mut phase = libm::atan2(first.h.im, first.h.re);
        let mut phases = Vec::with_capacity(places.len());
        for next in &places {
            let slope = -0.5 * (here.delay + next.delay) * (next.omega - here.omega);
            if modulus(next.h) > nothing {
                phase += step(here, next, DEPTH, &look);
                here = next;
                phases.push((next.omega, phase));
            } else {
                phases.push((next.omega, phase + slope));
            }
        }
        let find = |omega: &f64| {
            let index = phases.partition_point(|(at, _)| at < omega);
            phases.get(index).map_or(phase, |(_, phase)| *phase)
        };
        omegas.iter().map(find).collect()
    }

    /// Where zeros and poles near the unit circle lie, if they are known: grids should have points there.
    fn landmarks(&self) -> Vec<Landmark> {
        Vec::new()
    }
}

/// A point on the way around the circle.
struct Place {
    omega: f64,
    h: Complex64,
    delay: f64,
}

/// The change of phase from one place to the next.
fn step(from: &Place, to: &Place, depth: u32, look: &dyn Fn(f64) -> Place) -> f64 {
    let width = to.omega - from.omega;
    let predicted = -0.5 * (from.delay + to.delay) * width;
    let turned = to.h * from.h.conj();
    let turned = libm::atan2(turned.im, turned.re);
    let error = turned - predicted;
    let error = error - 2.0 * PI * libm::rint(error / (2.0 * PI));
    // Where the delay changes much between the ends, the prediction may be whole turns off.
    let is_even = (from.delay - to.delay).abs() * width < 1.0;
    if (error.abs() < 0.6 && is_even) || depth == 0 || !predicted.is_finite() {
        return if predicted.is_finite() { predicted + error } else { turned };
    }
    let middle = look(f64::midpoint(from.omega, to.omega));
    step(from, &middle, depth - 1, look) + step(&middle, to, depth - 1, look)
}

/// The group delay of c\[0\] + c\[1\]·w + … at w = e^{−jω}: Re(S₁/S₀) with Sₙ = Σ kⁿ·c\[k\]·wᵏ, and exactly
/// the middle for symmetric and antisymmetric coefficients.
///
/// Near a zero both sums lose their digits: there the zero is found by Newton's method and divided out, and
/// its own delay, 1/2 on the unit circle, is added in closed form.
pub(super) fn polynomial_delay(coefficients: &[f64], omega: f64) -> f64 {
    /// How small a sum is near a zero, as a share of the sum of sizes.
    const NEAR: f64 = 1e-3;
    let Some(first) = coefficients.iter().position(|c| *c != 0.0) else {
        return 0.0;
    };
    let last = coefficients.iter().rposition(|c| *c != 0.0).unwrap_or(first);
    let kept = &coefficients[first..=last];
    let mirrored = |sign: f64| kept.iter().zip(kept.iter().rev()).all(|(a, b)| *a == sign * b);
    if mirrored(1.0) || mirrored(-1.0) {
        return first as f64 + (last - first) as f64 / 2.0;
    }
    let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
    let mut c: Vec<Complex64> = kept.iter().map(|c| Complex64::new(*c, 0.0)).collect();
    let mut delay = first as f64;
    loop {
        let [s0, s1] = sums(&c, w);
        let size: f64 = c.iter().map(|c| modulus(*c)).sum();
        let zero = if modulus(s0) < NEAR * size { nearby_zero(&c, w) } else { None };
        let Some(zero) = zero else {
            return delay + (s1 / s0).re;
        };
        // As far as rounding moves a zero, nobody can say on which side of the circle it is.
        let slope = modulus(sums(&c, zero)[1]);
        let blur = 4.0 * c.len() as f64 * f64::EPSILON * size / slope;
        delay += zero_delay(zero / w, blur);
        for k in (1..c.len()).rev() {
            let above = c[k];
            c[k - 1] += zero * above;
        }
        // What was the lowest coefficient is the remainder.
        c.remove(0);
    }
}

/// Σ c\[k\]·wᵏ and Σ k·c\[k\]·wᵏ.
fn sums(c: &[Complex64], w: Complex64) -> [Complex64; 2] {
    let [mut s0, mut s1] = [Complex64::new(0.0, 0.0); 2];
    for (k, c) in c.iter().enumerate().rev() {
        (s0, s1) = (s0 * w + c, s1 * w + c * k as f64);
    }
    [s0, s1]
}

/// The zero that Newton's method finds from here, if it stays near.
fn nearby_zero(c: &[Complex64], w: Complex64) -> Option<Complex64> {
    let mut at = w;
    for _ in 0..20 {
        let [s0, s1] = sums(c, at);
        let step = s0 / s1 * at;
        if !(modulus(step) < 0.2 && modulus(at - w) < 0.2) {
            return None;
        }
        at -= step;
        if modulus(step) < 4.0 * f64::EPSILON {
            break;
        }
    }
    Some(at)
}

/// Re(1/(1 − q)), the delay of a zero at q times the place looked at; 1/2 within `blur` of the circle.
fn zero_delay(q: Complex64, blur: f64) -> f64 {
    let (r, half) = (modulus(q), libm::sin(libm::atan2(q.im, q.re) / 2.0));
    if (r - 1.0).abs() <= blur.max(4.0 * f64::EPSILON) {
        return 0.5;
    }
    let square = 2.0 * r * half * half;
    ((1.0 - r) + square) / ((1.0 - r) * (1.0 - r) + 2.0 * square)
}

/// The part of the unwrapped phase that one zero contributes: of 1 − r·e^{jθ}·e^{−jω}, continuous in ω from 0
/// to π but for a jump by +π on the unit circle. Conjugate pairs start at 0 together.
pub(super) fn root_phase(root: Complex64, omega: f64) -> f64 {
    let (r, theta) = (modulus(root), libm::atan2(root.im, root.re));
    let x = theta - omega;
    let (sine, half) = (libm::sin(x), libm::sin(x / 2.0));
    if on_the_circle(r) {
        // 1 − e^{jx} = −2j·sin(x/2)·e^{jx/2}; x lies between −2π and π. A zero at −1 jumps behind the last
        // angle.
        let before = x > 0.0 || theta >= PI;
        return x / 2.0 + if before { -PI / 2.0 } else { PI / 2.0 };
    }
    if r < 1.0 {
        return libm::atan2(-r * sine, (1.0 - r) + 2.0 * r * half * half);
    }
    // −r·e^{jx}·(1 − e^{−jx}/r); the half turn with the sign that lets a pair begin at 0.
    let turn = if theta > 0.0 { -PI } else { PI };
    turn + x + libm::atan2(sine / r, (1.0 - 1.0 / r) + 2.0 / r * half * half)
}

/// Whether a root at this radius lies on the unit circle as far as f64 can tell.
pub(super) fn on_the_circle(radius: f64) -> bool {
    (radius - 1.0).abs() < 4.0 * f64::EPSILON
}

/// A root as seen from the circle, if it is on the upper half and near enough to matter to a grid.
pub(super) fn landmark(root: &Complex64) -> Option<Landmark> {
    let (r, omega) = (modulus(*root), libm::atan2(root.im, root.re));
    let distance = (r - 1.0).abs();
    (distance < 0.3 && omega >= 0.0).then_some(Landmark { omega, distance })
}
