//! The structures, each described once.

/// How a filter is arranged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Structure {
    /// Direct form I: inputs and outputs remembered, one accumulator per section.
    DirectForm1,
    /// The same with its rounding errors remembered for one sample and fed back.
    ErrorFeedback1,
    /// The same with its rounding errors remembered for two samples and fed back.
    ErrorFeedback2,
    /// Direct form I transposed: the integers of direct form II, sums remembered.
    DirectForm1Transposed,
    /// Direct form II: two words of memory, behind the poles.
    DirectForm2,
    /// Direct form II transposed: the integers of direct form I, sums remembered.
    DirectForm2Transposed,
    /// Sections of two states: the coupled form.
    Coupled,
    /// A whole filter as a lattice of reflection coefficients with a ladder.
    LatticeLadder,
    /// Each section as a lattice of two stages with a ladder.
    LatticeSections,
    /// Half the sum or difference of two all-passes.
    AllPassSum,
    /// Finite impulse response: one dot product over a delay line.
    FirDirect,
    /// Finite impulse response: sums move from register to register.
    FirTransposed,
    /// Taps of linear phase: words that share a tap are added first.
    FirFolded,
    /// Half-band taps: folded, and the zeros skipped.
    FirSkipZeros,
}

/// What a structure is, as far as anyone beside its builder has to know it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct StructureFacts {
    /// The word for it in the spec file.
    pub name: &'static str,
    /// The tables that it takes.
    pub tables: Tables,
    /// Whether whole products are added in one accumulator and remembered nowhere, so that each of them may
    /// be rounded before by itself.
    pub adds_whole_products: bool,
    /// Whether it remembers words of a format of their own.
    pub has_state: bool,
    /// Where its roundings enter: how sections are ordered for the least noise.
    pub roundings: Roundings,
    /// A structure of nearly the same cost that takes what this one does not.
    pub nearest: Option<Structure>,
}

/// The tables of coefficients that a structure takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Tables {
    /// One row: taps.
    Taps,
    /// A row for each section: b0, b1, b2, a1, a2.
    Sections,
    /// A row for each section: the nine numbers of two states.
    States,
    /// Reflection coefficients and the taps of a ladder, of the whole filter.
    Lattice,
    /// The same of each section.
    SectionLattices,
    /// A row for each all-pass of two branches.
    AllPasses,
}

/// Where the roundings of a section enter it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Roundings {
    /// Before the poles of its section.
    BeforePoles,
    /// Before the poles, with so many zeros that shape it.
    Shaped(usize),
    /// Behind the section, and with two bits less before all of it.
    Around,
}

impl Structure {
    /// All structures.
    pub const ALL: [Structure; 14] = [
        Structure::DirectForm1,
        Structure::ErrorFeedback1,
        Structure::ErrorFeedback2,
        Structure::DirectForm1Transposed,
        Structure::DirectForm2,
        Structure::DirectForm2Transposed,
        Structure::Coupled,
        Structure::LatticeLadder,
        Structure::LatticeSections,
        Structure::AllPassSum,
        Structure::FirDirect,
        Structure::FirTransposed,
        Structure::FirFolded,
        Structure::FirSkipZeros,
    ];

    /// What it is.
    pub const fn facts(self) -> StructureFacts {
        use Roundings::{Around, BeforePoles, Shaped};
        use Tables::{AllPasses, Lattice, SectionLattices, Sections, States, Taps};
        /// The least that can be said.
        const fn of(name: &'static str, tables: Tables, roundings: Roundings) -> StructureFacts {
            let (adds_whole_products, has_state, nearest) = (false, false, None);
            StructureFacts { name, tables, adds_whole_products, has_state, roundings, nearest }
        }
        const fn whole(facts: StructureFacts) -> StructureFacts {
            StructureFacts { adds_whole_products: true, ..facts }
        }
        const fn state(facts: StructureFacts) -> StructureFacts {
            StructureFacts { has_state: true, ..facts }
        }
        const fn near(facts: StructureFacts, nearest: Structure) -> StructureFacts {
            StructureFacts { nearest: Some(nearest), ..facts }
        }
        match self {
            Structure::DirectForm1 => whole(of("direct-form-1", Sections, BeforePoles)),
            Structure::ErrorFeedback1 => of("error-feedback-1", Sections, Shaped(1)),
            Structure::ErrorFeedback2 => of("error-feedback-2", Sections, Shaped(2)),
            Structure::DirectForm1Transposed => {
                state(of("direct-form-1-transposed", Sections, Around))
            }
            Structure::DirectForm2 => state(whole(of("direct-form-2", Sections, Around))),
            Structure::DirectForm2Transposed => {
                of("direct-form-2-transposed", Sections, BeforePoles)
            }
            Structure::Coupled => state(of("coupled", States, Around)),
            Structure::LatticeLadder => {
                near(state(of("lattice-ladder", Lattice, Around)), Structure::LatticeSections)
            }
            Structure::LatticeSections => state(of("lattice-sections", SectionLattices, Around)),
            Structure::AllPassSum => state(of("all-pass-sum", AllPasses, Around)),
            Structure::FirDirect => whole(of("fir-direct", Taps, Around)),
            Structure::FirTransposed => of("fir-transposed", Taps, Around),
            Structure::FirFolded => whole(of("fir-folded", Taps, Around)),
            Structure::FirSkipZeros => {
                near(whole(of("fir-skip-zeros", Taps, Around)), Structure::FirFolded)
            }
        }
    }

    /// The word for it in the spec file.
    pub fn as_str(self) -> &'static str {
        self.facts().name
    }

    /// Whether it is for taps; the others are for sections.
    pub fn is_for_taps(self) -> bool {
        self.facts().tables == Tables::Taps
    }

    /// Whether its coefficients are those of sections or taps themselves, and not of states, lattices or
    /// all-passes.
    pub fn has_plain_coefficients(self) -> bool {
        matches!(self.facts().tables, Tables::Taps | Tables::Sections)
    }

    /// Whether whole products are added in one accumulator and remembered nowhere, so that each of them may
    /// be rounded before by itself.
    pub fn adds_whole_products(self) -> bool {
        self.facts().adds_whole_products
    }

    /// Whether it is a cascade of sections.
    pub fn is_cascade(self) -> bool {
        matches!(self.facts().tables, Tables::Sections | Tables::States | Tables::SectionLattices)
    }

    /// Whether it remembers words of a format of their own.
    pub fn has_state(self) -> bool {
        self.facts().has_state
    }
}
