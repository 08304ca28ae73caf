//! Samples in memory.

/// The samples of a column: integers stay integers.
#[derive(Debug, Clone, PartialEq)]
pub enum Values {
    /// Every sample is an integer: counts, words.
    Integers(Vec<i64>),
    /// Some sample is none.
    Reals(Vec<f64>),
}

/// A named column.
#[derive(Debug, Clone, PartialEq)]
pub struct Column {
    /// Its name in the header.
    pub name: String,
    /// Its samples.
    pub values: Values,
}

impl Values {
    /// No samples yet, of integers or of real numbers.
    pub(crate) fn none(integers: bool) -> Self {
        if integers { Values::Integers(Vec::new()) } else { Values::Reals(Vec::new()) }
    }

    /// Number of samples.
    pub fn len(&self) -> usize {
        match self {
            Values::Integers(values) => values.len(),
            Values::Reals(values) => values.len(),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The samples as numbers in their own unit.
    pub fn reals(&self) -> Vec<f64> {
        match self {
            Values::Integers(values) => values.iter().map(|&value| value as f64).collect(),
            Values::Reals(values) => values.clone(),
        }
    }

    /// The last sample as a number.
    pub fn last(&self) -> Option<f64> {
        match self {
            Values::Integers(values) => values.last().map(|value| *value as f64),
            Values::Reals(values) => values.last().copied(),
        }
    }

    /// Several columns as one, the samples of one time side by side.
    ///
    /// ```
    /// use mellow_rake_files::Values;
    /// let both = [Values::Integers(vec![1, 3]), Values::Integers(vec![2, 4])];
    /// let one = Values::side_by_side(&both);
    /// assert_eq!(one, Values::Integers(vec![1, 2, 3, 4]));
    /// assert_eq!(one.lane(1, 2), both[1]);
    /// ```
    pub fn side_by_side(columns: &[Values]) -> Values {
        fn all<T: Copy>(columns: &[&[T]]) -> Vec<T> {
            let count = columns.iter().map(|column| column.len()).min().unwrap_or(0);
            (0..count).flat_map(|at| columns.iter().map(move |column| column[at])).collect()
        }
        let integers = |column: &Values| match column {
            Values::Integers(values) => Some(values.clone()),
            Values::Reals(_) => None,
        };
        match columns.iter().map(integers).collect::<Option<Vec<_>>>() {
            Some(found) => Values::Integers(all(&found.iter().map(|c| &c[..]).collect::<Vec<_>>())),
            None => {
                let reals: Vec<Vec<f64>> = columns.iter().map(Values::reals).collect();
                Values::Reals(all(&reals.iter().map(|column| &column[..]).collect::<Vec<_>>()))
            }
        }
    }

    /// One of so many columns that stand side by side.
    pub fn lane(&self, lane: usize, lanes: usize) -> Values {
        match self {
            Values::Integers(values) => {
                Values::Integers(values.iter().skip(lane).step_by(lanes).copied().collect())
            }
            Values::Reals(values) => {
                Values::Reals(values.iter().skip(lane).step_by(lanes).copied().collect())
            }
        }
    }

    /// More samples of the same kind behind these; integers behind real numbers become real, and the other
    /// way round all do.
    ///
    /// ```
    /// use mellow_rake_files::Values;
    /// let mut values = Values::Integers(vec![1, 2]);
    /// values.append(Values::Integers(vec![3]));
    /// assert_eq!(values, Values::Integers(vec![1, 2, 3]));
    /// ```
    pub fn append(&mut self, more: Values) {
        match (&mut *self, more) {
            (Values::Integers(values), Values::Integers(more)) => values.extend(more),
            (Values::Reals(values), more) => values.extend(more.reals()),
            (Values::Integers(_), more) => {
                let mut values = self.reals();
                values.extend(more.reals());
                *self = Values::Reals(values);
            }
        }
    }

    /// Takes so many samples, or all there are, off the front.
    ///
    /// ```
    /// use mellow_rake_files::Values;
    /// let mut values = Values::Integers(vec![1, 2, 3]);
    /// assert_eq!(values.take_front(2), Values::Integers(vec![1, 2]));
    /// assert_eq!(values, Values::Integers(vec![3]));
    /// ```
    pub fn take_front(&mut self, samples: usize) -> Values {
        let samples = samples.min(self.len());
        match self {
            Values::Integers(values) => Values::Integers(values.drain(..samples).collect()),
            Values::Reals(values) => Values::Reals(values.drain(..samples).collect()),
        }
    }

    /// A stretch of the samples.
    pub(crate) fn part(&self, part: std::ops::Range<usize>) -> Values {
        match self {
            Values::Integers(values) => Values::Integers(values[part].to_vec()),
            Values::Reals(values) => Values::Reals(values[part].to_vec()),
        }
    }
}
