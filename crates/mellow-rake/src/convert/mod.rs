//! Between the forms of a filter: zeros and poles, polynomials, second-order sections, state space, parallel
//! sections, and sums of two all-passes; each conversion says what it lost, and refuses where it would lose
//! the filter.
//!
//! | from | to | kept exactly | refused when |
//! |---|---|---|---|
//! | zeros-poles | polynomials | nothing | rounding moves a pole by a thousandth of its way to the circle |
//! | polynomials | zeros-poles | nothing | the coefficients do not fix the poles as well |
//! | zeros-poles | sections | poles to rounding | never |
//! | sections | zeros-poles | roots of quadratics | never |
//! | sections | state space | the sections' coefficients | never seen |
//! | a section | coupled form | nothing | never |
//! | zeros-poles | lattice | nothing | as for polynomials, and for unstable filters |
//! | a section | lattice | nothing | never |
//! | zeros-poles | parallel | poles | residues cancel, poles coincide |
//! | zeros-poles | two all-passes | poles | no split of the poles gives the filter |
//! | parallel, two all-passes | zeros-poles | poles | the numerator does not fix the zeros |
//!
//! The loss is measured: the largest change of the complex response over its peak, on a grid that is dense
//! around every pole.

mod coupled;
mod lattice;
mod loss;
mod parallel;
mod polynomials;
mod state_space;

pub use coupled::{CoupledSection, coupled};
pub use lattice::{
    LatticeLadder, from_lattice, lattice_to_section, section_to_lattice, to_lattice,
};
pub use loss::{ConvertError, Converted, Loss};
pub use parallel::{
    AllPassSum, Parallel, from_all_pass_sum, from_parallel, to_all_pass_sum, to_parallel,
};
pub use polynomials::{Polynomials, from_polynomials, to_polynomials};
pub use state_space::{StateSpace, from_state_space, sections_to_state_space, to_state_space};
