//! The order of operations of each structure.

/// How a filter in floating point is arranged.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum FloatStructure {
    /// Sections that remember two inputs and two outputs each.
    #[cfg_attr(feature = "serde", serde(rename = "direct-form-1"))]
    DirectForm1,
    /// Sections that remember two sums each.
    #[cfg_attr(feature = "serde", serde(rename = "direct-form-2-transposed"))]
    DirectForm2Transposed,
    /// Taps over remembered inputs.
    FirDirect,
}

impl FloatStructure {
    /// All of them.
    pub const ALL: [FloatStructure; 3] = [
        FloatStructure::DirectForm1,
        FloatStructure::DirectForm2Transposed,
        FloatStructure::FirDirect,
    ];

    /// The word for it in a spec.
    pub fn as_str(self) -> &'static str {
        match self {
            FloatStructure::DirectForm1 => "direct-form-1",
            FloatStructure::DirectForm2Transposed => "direct-form-2-transposed",
            FloatStructure::FirDirect => "fir-direct",
        }
    }

    /// The program of one section; `None` for taps, whose only sum is taken from h\[0\] on.
    ///
    /// ```
    /// use mellow_rake::float::FloatStructure;
    /// let section = FloatStructure::DirectForm1.section().unwrap();
    /// assert_eq!(section.operations.len(), 14);
    /// assert!(FloatStructure::FirDirect.section().is_none());
    /// ```
    pub fn section(self) -> Option<SectionProgram> {
        match self {
            FloatStructure::DirectForm1 => Some(direct_form_1()),
            FloatStructure::DirectForm2Transposed => Some(direct_form_2_transposed()),
            FloatStructure::FirDirect => None,
        }
    }
}

/// One operation, which gives one number. Others are named by their place in the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FloatOperation {
    /// What comes into the section.
    Input,
    /// What the section remembers at this place.
    State(usize),
    /// A coefficient times a number.
    Product {
        /// The column of the coefficient.
        column: usize,
        /// The number.
        of: usize,
    },
    /// The sum of two.
    Sum(usize, usize),
    /// The first less the second.
    Difference(usize, usize),
}

/// What a section does with a sample.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct SectionProgram {
    /// The operations in order.
    pub operations: Vec<FloatOperation>,
    /// The one whose number goes out.
    pub output: usize,
    /// What is remembered next: the place, and the operation whose number goes there. In this order no place
    /// is given its number before all operations behind it that read the old one.
    pub states: Vec<(usize, usize)>,
    /// What the places hold, for those who read the written text.
    pub holds: &'static str,
}

/// A program as it is written down.
#[derive(Default)]
struct Writer(Vec<FloatOperation>);

impl Writer {
    fn push(&mut self, operation: FloatOperation) -> usize {
        self.0.push(operation);
        self.0.len() - 1
    }

    fn product(&mut self, column: usize, of: usize) -> usize {
        self.push(FloatOperation::Product { column, of })
    }
}

const B0: usize = 0;
const B1: usize = 1;
const B2: usize = 2;
const A1: usize = 3;
const A2: usize = 4;

/// y = b0·x + b1·x₁ + b2·x₂ − a1·y₁ − a2·y₂; remembered are x₁, x₂, y₁, y₂.
fn direct_form_1() -> SectionProgram {
    let mut writer = Writer::default();
    let x = writer.push(FloatOperation::Input);
    let [x1, x2, y1, y2] = [0, 1, 2, 3].map(|place| writer.push(FloatOperation::State(place)));
    let mut y = writer.product(B0, x);
    for (column, of) in [(B1, x1), (B2, x2)] {
        let product = writer.product(column, of);
        y = writer.push(FloatOperation::Sum(y, product));
    }
    for (column, of) in [(A1, y1), (A2, y2)] {
        let product = writer.product(column, of);
        y = writer.push(FloatOperation::Difference(y, product));
    }
    let states = vec![(1, x1), (0, x), (3, y1), (2, y)];
    let holds = "x[n-1], x[n-2], y[n-1], y[n-2]";
    SectionProgram { operations: writer.0, output: y, states, holds }
}

/// y = b0·x + s₁; s₁ = (b1·x − a1·y) + s₂; s₂ = b2·x − a2·y.
fn direct_form_2_transposed() -> SectionProgram {
    let mut writer = Writer::default();
    let x = writer.push(FloatOperation::Input);
    let [s1, s2] = [0, 1].map(|place| writer.push(FloatOperation::State(place)));
    let product = writer.product(B0, x);
    let y = writer.push(FloatOperation::Sum(product, s1));
    let difference = |writer: &mut Writer, b: usize, a: usize| {
        let (forward, back) = (writer.product(b, x), writer.product(a, y));
        writer.push(FloatOperation::Difference(forward, back))
    };
    let first = difference(&mut writer, B1, A1);
    let first = writer.push(FloatOperation::Sum(first, s2));
    let second = difference(&mut writer, B2, A2);
    let states = vec![(0, first), (1, second)];
    let holds = "what earlier samples add to the next y, and to the one behind it";
    SectionProgram { operations: writer.0, output: y, states, holds }
}
