//! Mellow Rake designs digital filters, quantizes them to fixed point, writes them as C, Rust, Verilog and
//! VHDL, and shows that what runs is, bit for bit, what was designed.
//!
//! ```
//! use mellow_rake::study::Study;
//! use mellow_rake::{verify, write::Language};
//!
//! let text = r#"
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
//! "#;
//! let study = Study::of_text(text, |_| Err("no file is named".to_owned()))?;
//! let filter = study.integers()?;
//! assert_eq!(filter.table.rows, [[16131, -27507, 16131, -27507, 15877]]);
//!
//! // The integer filter stays within its proved distance from the floating-point reference.
//! let input: Vec<i64> = (0..1000).map(|n| if n % 7 < 3 { 9000 } else { -9000 }).collect();
//! let (_, error) = verify::judge(filter, &study.design.form, &input);
//! assert!(error.largest_lsb <= error.bound_lsb.unwrap());
//!
//! let files = study.files(&[Language::C])?;
//! assert!(files[1].text.contains("16131, -27507, 16131, 27507, -15877"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! Without a text a filter is a [`Wish`]:
//!
//! ```
//! # let mut strain = vec![0.0; 100];
//! let lowpass = mellow_rake::Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).filter()?;
//! lowpass.apply(&mut strain);
//! # Ok::<(), mellow_rake::study::StudyError>(())
//! ```
//!
//! The [`tutorial`] goes on from here, step by step. A [`study`] is what front ends call. The rooms behind it
//! stand in the order of the work: [`units`], [`window`] and [`spec`] say what is asked for, [`design`] makes
//! a [`filter`] of it, [`response`] says what that does and [`quality`] how it compares with what was asked,
//! [`convert`] gives it other forms, [`rates`] chains it to others at other sample rates, [`fixed`] has the
//! words it will run on, [`implementation`] puts it on a [`datapath`], the one exact program on integers that
//! everything else reads: the simulator, the bounds, and the writers in [`write`](mod@write). [`signal`]
//! makes what it is tried on from [`random`] numbers, [`verify`] compares.
//!
//! This crate computes. It touches no files, processes, terminals or clocks, and gives the same bytes on
//! every machine: transcendental functions come from `libm`, sums have a fixed order, random signals have
//! seeds.

// Tests may compare with the platform's own functions.
#![cfg_attr(test, allow(clippy::disallowed_methods))]

pub mod convert;
pub mod datapath;
pub mod design;
mod effort;
pub mod filter;
pub mod fixed;
pub mod float;
pub mod hardware;
pub mod implementation;
pub mod network;
pub mod quality;
pub mod random;
pub mod rates;
pub mod response;
pub mod signal;
pub mod spec;
pub mod study;
pub mod tutorial;
pub mod units;
pub mod verify;
pub mod window;
pub mod write;

pub use effort::Effort;
pub use spec::{ChainWish, Wish};
