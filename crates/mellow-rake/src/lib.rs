//! Mellow Rake designs digital filters, quantizes them to fixed point, writes them as C and Verilog, and shows that
//! what runs is, bit for bit, what was designed.
//!
//! ```
//! use mellow_rake::{design, implementation, spec::Spec, verify, write};
//!
//! let spec = Spec::parse(r#"
//!     name = "pump_hum"
//!     sample_rate = "1 kHz"
//!     [want]
//!     kind = "notch"
//!     center = "87.5 Hz"
//!     width = "5 Hz"
//!     [fixed]
//!     input = "s16f15"
//!     output = "s16f15"
//!     coefficients = "s16"
//!     structure = "direct-form-1"
//!     rounding = "half-up"
//!     overflow = "saturate"
//! "#)?;
//! let design = design::design(&spec)?;
//! let filter = implementation::implement(&design.form, spec.fixed.expect("the spec has words"))?;
//! assert_eq!(filter.table.rows, [[16131, -27507, 16131, -27507, 15877]]);
//!
//! // The integer filter stays within its proved distance from the floating-point reference.
//! let input: Vec<i64> = (0..1000).map(|n| if n % 7 < 3 { 9000 } else { -9000 }).collect();
//! let (_, error) = verify::judge(&filter, &design.form, &input);
//! assert!(error.largest_lsb <= error.bound_lsb.unwrap());
//!
//! let files = write::c::write(&filter.checked, &write::Symbols::new(&spec.name))?;
//! assert!(files[1].text.contains("16131, -27507, 16131, -27507, 15877"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! The order of work is the order of the modules: [`units`], [`window`] and [`spec`] say what is asked for, [`design`] makes a
//! [`filter`] of it, [`analysis`] looks at it, [`convert`] gives it
//! other forms, [`fixed`] has the words it will run on, [`implementation`] puts it on a
//! [`datapath`], the one exact program on integers that everything else reads: the simulator, the bounds, and the
//! writers in [`write`](mod@write). [`signal`] makes what it is tried on, [`verify`] compares.
//!
//! This crate computes. It touches no files, processes, terminals or clocks, and gives the same bytes on every
//! machine: transcendental functions come from `libm`, sums have a fixed order, random signals have seeds.

// Tests may compare with the platform's own functions.
#![cfg_attr(test, allow(clippy::disallowed_methods))]

pub mod convert;
pub mod datapath;
pub mod design;
mod effort;
pub mod filter;
pub mod fixed;
pub mod implementation;
pub mod quality;
pub mod random;
pub mod response;
pub mod signal;
pub mod spec;
pub mod study;
pub mod units;
pub mod verify;
pub mod window;
pub mod write;

pub use effort::Effort;
