//! What is known of a filter, as pages.

mod chain;
mod chain_hardware;
mod chain_words;
mod comparison;
mod cores;
mod design;
mod forms;
mod hardware;
mod measured;
mod proof;
mod quality;
mod quantization;
mod received;
mod recording;
mod roots;
mod sensitivity;
mod words;

pub use chain::chain;
pub use chain_hardware::chain_hardware;
pub use comparison::{Refused, comparison};
pub use cores::{CoreRow, CoresPage, cores};
pub use design::design;
pub use forms::{families, forms};
pub use hardware::{UnitRow, hardware, shared_unit, units};
pub use measured::measured;
pub use proof::proof;
pub use quantization::{impossible, quantization};
pub use received::received;
pub use recording::{Inspected, Suggestion, inspection, mask, suggestions};
pub use roots::roots;
pub use sensitivity::sensitivity;
