//! Pages and figures of what is known of a filter: documents of blocks, which a front end shows as text, and
//! sheets of panels, which it draws.
//!
//! ```
//! use mellow_rake::spec::template;
//! use mellow_rake::study::Study;
//! use mellow_rake_report::page;
//! let study = Study::of_text(template("notch").unwrap(), |_| unreachable!("it names no file"))?;
//! assert!(page::design(&study).text(96).contains("as designed: meets the spec"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod document;
pub mod figure;
pub mod numbers;
pub mod page;
pub mod units;

pub use document::{Block, COLUMNS, Document};
