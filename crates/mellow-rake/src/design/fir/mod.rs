//! Finite impulse responses.

mod amplitudes;
mod assumptions;
mod bands;
mod barycentric;
mod error;
mod exchange;
pub(crate) mod ideal;
mod least_squares;
mod minimum_phase;
mod reference;
mod shapes;
mod smallest;
mod task;
mod wish;
mod wish_check;
mod wished_bands;

pub use bands::{Band, BandError};
pub use error::FirError;
pub use exchange::{Equiripple, ExchangeError, equiripple, equiripple_behind};
pub(super) use least_squares::LARGEST as LARGEST_LEAST_SQUARES;
pub use least_squares::{LeastSquares, LeastSquaresError, least_squares};
pub use minimum_phase::MinimumPhaseError;
pub use wish::{FirChoice, WeightedBand, design_fir};
