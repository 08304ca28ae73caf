//! One change of the sample rate.

use super::Comb;
use crate::filter::{Form, Section, Taps};

/// Why there is no such stage, or no such chain.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum RateError {
    /// A factor out of its range.
    #[error(
        "the rate goes {way} by {found}; a factor of 1 to {} is accepted, for more take several stages",
        Stage::LARGEST_FACTOR
    )]
    Factor {
        /// `up` or `down`.
        way: &'static str,
        /// The factor.
        found: usize,
    },
    /// A stage without taps.
    #[error("a stage has no taps; one tap of 1 lets everything through")]
    NoTaps,
    /// A tap that is no number.
    #[error("tap {place} is {found}; finite numbers are accepted")]
    Tap {
        /// Its number, h\[0\] is 0.
        place: usize,
        /// The tap.
        found: f64,
    },
    /// A recursive filter that does not come to rest, or is none.
    #[error(
        "section {section} has poles at a distance of {radius} from 0; below 1 is accepted, and finite \
         coefficients in at least one section"
    )]
    Section {
        /// Its number, the first is 1.
        section: usize,
        /// The largest distance of its poles.
        radius: f64,
    },
    /// Integrators and combs that cannot be.
    #[error(
        "integrators and combs of order {order} with a delay of {delay}, up by {up} and down by {down}: \
         order 1 to {} and a delay of 1 to {} are accepted, where the rate goes one way",
        Comb::LARGEST_ORDER,
        Comb::LARGEST_DELAY
    )]
    Comb {
        /// The factor up.
        up: usize,
        /// The factor down.
        down: usize,
        /// How many integrators.
        order: usize,
        /// The delay of each comb.
        delay: usize,
    },
    /// A chain without stages.
    #[error("a chain has no stages; at least one is wanted")]
    NoStages,
    /// Samples per second beyond what a rate can be.
    #[error("stage {stage} works at {hertz} Hz; a rate of 1 nHz to 1 THz is accepted")]
    Rate {
        /// Its number, the first is 1.
        stage: usize,
        /// The rate at which it filters, in hertz.
        hertz: f64,
    },
    /// More bands that fall together than can be looked at one by one.
    #[error(
        "up to stage {stage} the rate goes {way} by {found} in all; {} at the most is accepted",
        super::Chain::LARGEST_FACTOR
    )]
    Chain {
        /// The number of the stage, the first is 1.
        stage: usize,
        /// `up` or `down`.
        way: &'static str,
        /// The product of the factors.
        found: usize,
    },
}

/// A filter between an expander and a decimator: `up` − 1 zeros behind each sample, H(z) at that rate, and
/// of every `down` samples the last.
///
/// Where the rate goes up the zeros take the level down by `up`: for a gain of 1 the taps then add up to
/// `up`. Of taps only those sums are made that are kept. A recursive filter needs all of them: it is worth
/// its products where an edge is steep and the rate low already, and its delay is not the same at all
/// frequencies.
///
/// ```
/// use mellow_rake::filter::Taps;
/// use mellow_rake::rates::Stage;
/// let line = Stage::interpolator(2, Taps(vec![0.5, 1.0, 0.5]))?;
/// assert_eq!(line.start().run(&[100.0, 200.0, 300.0]), [50.0, 100.0, 150.0, 200.0, 250.0, 300.0]);
/// # Ok::<(), mellow_rake::rates::RateError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Stage {
    up: usize,
    down: usize,
    form: Form,
    /// The integrators and combs that it is, if it is one of those.
    comb: Option<Comb>,
}

impl Stage {
    /// The largest factor, up or down.
    pub const LARGEST_FACTOR: usize = 4096;

    /// A stage that takes `down` samples and gives `up`.
    ///
    /// # Errors
    /// [`RateError`] for a factor out of 1 to [`LARGEST_FACTOR`](Self::LARGEST_FACTOR), no taps, taps that
    /// are no finite numbers, or poles that are not inside the unit circle.
    pub fn new(up: usize, down: usize, form: impl Into<Form>) -> Result<Self, RateError> {
        let form = form.into();
        for (way, found) in [("up", up), ("down", down)] {
            if !(1..=Stage::LARGEST_FACTOR).contains(&found) {
                return Err(RateError::Factor { way, found });
            }
        }
        check(&form)?;
        Ok(Stage { up, down, form, comb: None })
    }

    /// A stage that gives one sample for each `factor`.
    ///
    /// # Errors
    /// As of [`new`](Self::new).
    ///
    /// ```
    /// use mellow_rake::filter::{Section, Sections};
    /// use mellow_rake::rates::Stage;
    /// // y[n] = x[n]/2 + y[n-1]/2, of which every second goes on.
    /// let smooth = Section { b: [0.5, 0.0, 0.0], a: [-0.5, 0.0] };
    /// let halve = Stage::decimator(2, Sections(vec![smooth]))?;
    /// assert_eq!(halve.start().run(&[8.0, 0.0, 0.0, 0.0]), [2.0, 0.5]);
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn decimator(factor: usize, form: impl Into<Form>) -> Result<Self, RateError> {
        Stage::new(1, factor, form)
    }

    /// A stage that gives `factor` samples for each.
    ///
    /// # Errors
    /// As of [`new`](Self::new).
    pub fn interpolator(factor: usize, form: impl Into<Form>) -> Result<Self, RateError> {
        Stage::new(factor, 1, form)
    }

    /// By how much it raises the rate before it filters.
    pub fn up(&self) -> usize {
        self.up
    }

    /// By how much it lowers the rate behind its filter.
    pub fn down(&self) -> usize {
        self.down
    }

    /// The filter at the rate in between.
    pub fn form(&self) -> &Form {
        &self.form
    }

    /// Its taps, where it has taps; those that integrators and combs stand for.
    pub fn taps(&self) -> Option<&Taps> {
        self.form.taps()
    }

    /// Samples at the rate in between that its response is looked at: all taps, or until a recursive filter
    /// has come to rest.
    pub(crate) fn length(&self) -> usize {
        self.form.length()
    }

    /// How finely its response is looked at: so many places from 0 to the rate in between tell what it does.
    /// The tops of a recursive filter are as wide as its slowest pole is damped, of which the length that is
    /// looked at is many times the time.
    pub(crate) fn fineness(&self) -> usize {
        match self.form {
            Form::Taps(_) => self.length(),
            Form::Sections(_) => (self.length() / 16).max(64),
        }
    }

    /// Its delay in samples of the rate in between, the same at all frequencies; `None` where it is not.
    pub fn delay(&self) -> Option<f64> {
        let taps = self.taps()?;
        taps.linear_phase().map(|_| (taps.0.len() - 1) as f64 / 2.0)
    }

    /// The integrators and combs that its taps stand for; `None` of any other.
    pub fn as_sums(&self) -> Option<Comb> {
        self.comb
    }

    pub(super) fn with_comb(self, comb: Comb) -> Self {
        Stage { comb: Some(comb), ..self }
    }

    /// Words that it remembers: those that its longest branch of taps reaches; of integrators and combs one
    /// for each, and the delays; of sections those of direct form I.
    pub fn words(&self) -> usize {
        match (self.comb, &self.form) {
            (Some(comb), _) => comb.order * (1 + comb.delay),
            (None, Form::Taps(taps)) => taps.0.len().div_ceil(self.up),
            (None, Form::Sections(_)) => self.form.cost()[2],
        }
    }

    /// Products for a sample that comes out, on average over the branches: taps that are zero are not
    /// counted, and symmetric taps are not folded. Integrators and combs have none; sections have theirs for
    /// every sample of the rate in between.
    pub fn multiplies_per_output(&self) -> f64 {
        match (self.comb, &self.form) {
            (Some(_), _) => 0.0,
            (None, Form::Taps(taps)) => {
                let nonzero = taps.0.iter().filter(|tap| **tap != 0.0).count();
                // Over `up` outputs each tap meets a sample `down` times at the rate in between, and a zero
                // else.
                nonzero as f64 / self.up as f64
            }
            (None, Form::Sections(_)) => (self.form.cost()[0] * self.down) as f64,
        }
    }

    /// The same with all of it times a factor.
    pub(crate) fn scaled(mut self, factor: f64) -> Self {
        self.form = scaled(&self.form, factor);
        self
    }
}

/// A filter times a factor: of sections the first takes it.
pub(crate) fn scaled(form: &Form, factor: f64) -> Form {
    match form {
        Form::Taps(taps) => Taps(taps.0.iter().map(|tap| tap * factor).collect()).into(),
        Form::Sections(sections) => {
            let mut sections = sections.clone();
            if let Some(first) = sections.0.first_mut() {
                first.b = first.b.map(|b| b * factor);
            }
            sections.into()
        }
    }
}

fn check(form: &Form) -> Result<(), RateError> {
    match form {
        Form::Taps(taps) if taps.0.is_empty() => Err(RateError::NoTaps),
        Form::Taps(taps) => match taps.0.iter().enumerate().find(|(_, tap)| !tap.is_finite()) {
            Some((place, found)) => Err(RateError::Tap { place, found: *found }),
            None => Ok(()),
        },
        Form::Sections(sections) if sections.0.is_empty() => Err(RateError::NoTaps),
        Form::Sections(sections) => {
            let is_finite = |one: &Section| one.b.iter().chain(&one.a).all(|c| c.is_finite());
            let is_bad = |one: &Section| !is_finite(one) || one.pole_radius() >= 1.0;
            match sections.0.iter().position(is_bad) {
                Some(place) => {
                    let radius = sections.0[place].pole_radius();
                    Err(RateError::Section { section: place + 1, radius })
                }
                None => Ok(()),
            }
        }
    }
}
