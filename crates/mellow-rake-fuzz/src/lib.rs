//! What must hold for any bytes that Mellow Rake is given: one function per reader, and one from a wish to
//! the text that is written.
//!
//! Each takes bytes and panics where a promise is broken: no reader panics, every refusal names its place,
//! what is read in blocks is what is read at once, what is written says what was simulated. `fuzz/` drives
//! them with bytes that are mutated toward new code; the tests of this crate run them over the corpora and
//! the old failures that are kept there.
//!
//! ```
//! let spec = mellow_rake_fuzz::TARGETS.iter().find(|target| target.name == "spec").unwrap();
//! (spec.run)(b"name = 1");
//! ```

mod chain;
mod readers;
mod wish;

/// A reader, or the whole way from a wish to text, with what must hold of it.
#[derive(Debug, Clone, Copy)]
pub struct Target {
    /// Its name: that of its folder of inputs.
    pub name: &'static str,
    /// Tries some bytes.
    ///
    /// # Panics
    /// Where a promise is broken.
    pub run: fn(&[u8]),
}

/// The text of the spec that an input of `chain` stands for.
pub fn spec_of(bytes: &[u8]) -> String {
    wish::spec_text(&mut wish::Draw(bytes))
}

/// All of them.
pub const TARGETS: [Target; 10] = [
    Target { name: "spec", run: readers::spec },
    Target { name: "plan", run: readers::plan },
    Target { name: "csv", run: readers::csv },
    Target { name: "wav", run: readers::wav },
    Target { name: "npy", run: readers::npy },
    Target { name: "json", run: readers::json },
    Target { name: "bytes", run: readers::bytes },
    Target { name: "coefficients", run: readers::coefficients },
    Target { name: "mask", run: readers::mask },
    Target { name: "chain", run: chain::chain },
];
