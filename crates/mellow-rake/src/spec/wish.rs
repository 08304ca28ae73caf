//! A spec said in Rust: the same types, checks and errors as of a text.

use super::firmware::Firmware;
use super::hardware::without_words;
use super::{
    Coefficients, DirectWish, EqualizerWish, FirEdges, FirMethod, FirShape, FirWish, Fixed, Float,
    Hardware, Leak, Name, NotchWidth, Phase, Problem, Recursive, RecursiveEdges, Spec, SpecError,
    Verify, Want,
};
use crate::effort::Effort;
use crate::filter::{BandKind, EdgeMeaning, Family, Mapping};
use crate::float::FloatFormat;
use crate::units::{Duration, Frequency, Level, QuantityError, SampleRate};
use crate::window::Window;
use num_complex::Complex64;

/// A quantity, or a text that states one with its unit: `Frequency::Hertz(40.0)`, `"40 Hz"`.
pub trait Stated<Q> {
    /// The quantity.
    ///
    /// # Errors
    /// [`QuantityError`] where a text states none.
    fn stated(self) -> Result<Q, QuantityError>;
}

macro_rules! stated {
    ($($quantity:ty),*) => {$(
        impl Stated<$quantity> for $quantity {
            fn stated(self) -> Result<$quantity, QuantityError> {
                Ok(self)
            }
        }

        impl Stated<$quantity> for &str {
            fn stated(self) -> Result<$quantity, QuantityError> {
                self.parse()
            }
        }
    )*};
}

stated!(Duration, Frequency, Level, SampleRate);

/// What is wrong with a key.
pub(super) fn wrong(key: &str, problem: impl Into<Problem>) -> SpecError {
    let (key, problem) = (key.to_owned(), Box::new(problem.into()));
    SpecError { line: 0, column: 0, key, problem }
}

pub(super) fn stated<Q>(key: &str, quantity: impl Stated<Q>) -> Result<Q, SpecError> {
    quantity.stated().map_err(|error| wrong(key, error))
}

/// A filter that is wanted, said in Rust. What is wrong in it is an error when it is built, by
/// [`spec`](Wish::spec), `study` or `filter`.
///
/// ```
/// use mellow_rake::Wish;
/// let lowpass = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).filter()?;
/// let mut strain: Vec<f64> = (0..500).map(|n| f64::from(n % 7)).collect();
/// lowpass.apply(&mut strain);
/// // The mean of 0 to 6 is left.
/// assert!((strain[499] - 3.0).abs() < 0.01);
///
/// let error = Wish::lowpass("1 kHz").cutoff("600 Hz").butterworth(4).filter().unwrap_err();
/// assert_eq!(error.keys()[0], "want.cutoff");
/// # Ok::<(), mellow_rake::study::StudyError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Wish {
    name: Result<Name, SpecError>,
    rate: Result<SampleRate, SpecError>,
    want: Result<Want, SpecError>,
    equalizer: Option<EqualizerWish>,
    fixed: Option<Fixed>,
    float: Option<Float>,
    hardware: Option<Hardware>,
    firmware: Firmware,
    effort: Effort,
}

/// A low-pass, high-pass, band-pass or band-stop filter whose edges and levels are being said; a method makes
/// a [`Wish`] of it.
///
/// Frequencies and levels are texts with their units, or their types; where the name of a function says the
/// unit, plain numbers.
#[derive(Debug, Clone, PartialEq)]
pub struct BandWish {
    kind: BandKind,
    rate: Result<SampleRate, SpecError>,
    said: Result<(), SpecError>,
    cutoff: Vec<Frequency>,
    pass: Vec<Frequency>,
    stop: Vec<Frequency>,
    ripple: Option<Level>,
    attenuation: Option<Level>,
    mapping: Mapping,
}

impl Wish {
    /// Anything that a spec can want, at a sample rate.
    pub fn new(rate: impl Stated<SampleRate>, want: Want) -> Self {
        Wish::of(stated("sample_rate", rate), Ok(want))
    }

    fn of(rate: Result<SampleRate, SpecError>, want: Result<Want, SpecError>) -> Self {
        let name = Name::new("filter").map_err(|error| wrong("name", error));
        Wish {
            name,
            rate,
            want,
            equalizer: None,
            fixed: None,
            float: None,
            hardware: None,
            firmware: Firmware::default(),
            effort: Effort::default(),
        }
    }

    /// A low-pass.
    pub fn lowpass(rate: impl Stated<SampleRate>) -> BandWish {
        BandWish::new(BandKind::Lowpass, rate)
    }

    /// A high-pass.
    pub fn highpass(rate: impl Stated<SampleRate>) -> BandWish {
        BandWish::new(BandKind::Highpass, rate)
    }

    /// A band-pass.
    pub fn bandpass(rate: impl Stated<SampleRate>) -> BandWish {
        BandWish::new(BandKind::Bandpass, rate)
    }

    /// A band-stop.
    pub fn bandstop(rate: impl Stated<SampleRate>) -> BandWish {
        BandWish::new(BandKind::Bandstop, rate)
    }

    /// A second-order notch: the frequency of its null, and the distance of its −3 dB points.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::filter::Transfer;
    /// let notch = Wish::notch("1 kHz", "87.5 Hz", "5 Hz").filter()?;
    /// assert!(notch.gain(0.0875 * std::f64::consts::TAU) < 1e-12);
    /// # Ok::<(), mellow_rake::study::StudyError>(())
    /// ```
    pub fn notch(
        rate: impl Stated<SampleRate>,
        center: impl Stated<Frequency>,
        width: impl Stated<Frequency>,
    ) -> Self {
        let want = stated("want.center", center).and_then(|center| {
            let width = NotchWidth::Between(stated("want.width", width)?);
            Ok(Want::Notch { center, width })
        });
        Wish::of(stated("sample_rate", rate), want)
    }

    /// A filter in closed form, with its frequencies in hertz.
    pub fn direct(rate: impl Stated<SampleRate>, wish: DirectWish) -> Self {
        Wish::new(rate, Want::Direct(wish))
    }

    /// A first-order filter that lets nothing through at 0 Hz.
    pub fn dc_blocker(rate: impl Stated<SampleRate>, cutoff: impl Stated<Frequency>) -> Self {
        Wish::closed(rate, "want.cutoff", cutoff, |cutoff_hz| DirectWish::DcBlocker { cutoff_hz })
    }

    /// A first-order mean that forgets: its −3 dB point.
    pub fn leaky_integrator(rate: impl Stated<SampleRate>, cutoff: impl Stated<Frequency>) -> Self {
        let leaky = |hz| DirectWish::LeakyIntegrator(Leak::Cutoff(hz));
        Wish::closed(rate, "want.cutoff", cutoff, leaky)
    }

    /// A filter in closed form of one frequency.
    pub(super) fn closed(
        rate: impl Stated<SampleRate>,
        key: &str,
        frequency: impl Stated<Frequency>,
        wish: impl Fn(f64) -> DirectWish,
    ) -> Self {
        Wish::at(rate, |rate| Ok(Want::Direct(wish(stated(key, frequency)?.hertz(rate)))))
    }

    /// What depends on the sample rate.
    pub(super) fn at(
        rate: impl Stated<SampleRate>,
        want: impl FnOnce(SampleRate) -> Result<Want, SpecError>,
    ) -> Self {
        let rate = stated("sample_rate", rate);
        let want = rate.clone().and_then(want);
        Wish::of(rate, want)
    }

    /// Changes what is wanted, unless something is wrong with it already.
    pub(super) fn change_want(
        self,
        change: impl FnOnce(&mut Want) -> Result<(), SpecError>,
    ) -> Self {
        let want = self.want.and_then(|mut want| change(&mut want).map(|()| want));
        Wish { want, ..self }
    }

    /// These taps.
    pub fn taps(rate: impl Stated<SampleRate>, taps: impl Into<Vec<f64>>) -> Self {
        Wish::given(rate, Coefficients::Taps(taps.into()))
    }

    /// These second-order sections: b0, b1, b2, a0, a1, a2 of each.
    pub fn sections(rate: impl Stated<SampleRate>, sections: impl Into<Vec<[f64; 6]>>) -> Self {
        Wish::given(rate, Coefficients::Sections(sections.into()))
    }

    /// These zeros and poles in the z-plane, conjugates included, with the factor in front.
    pub fn zeros_poles(
        rate: impl Stated<SampleRate>,
        zeros: impl Into<Vec<Complex64>>,
        poles: impl Into<Vec<Complex64>>,
        gain: f64,
    ) -> Self {
        let (zeros, poles) = (zeros.into(), poles.into());
        Wish::given(rate, Coefficients::ZerosPoles { zeros, poles, gain })
    }

    /// H(z) = (b0 + b1 z⁻¹ + …)/(a0 + a1 z⁻¹ + …). Of a high order sections or zeros and poles say a filter
    /// better.
    pub fn fraction(
        rate: impl Stated<SampleRate>,
        b: impl Into<Vec<f64>>,
        a: impl Into<Vec<f64>>,
    ) -> Self {
        Wish::given(rate, Coefficients::Polynomials { b: b.into(), a: a.into() })
    }

    fn given(rate: impl Stated<SampleRate>, coefficients: Coefficients) -> Self {
        Wish::direct(rate, DirectWish::Given(coefficients))
    }

    /// Its name, which names files and symbols: "filter" where none is given.
    pub fn name(self, name: &str) -> Self {
        Wish { name: Name::new(name).map_err(|error| wrong("name", error)), ..self }
    }

    /// With all-passes behind it that make its delay as flat as this, in samples.
    pub fn equalized(self, delay_ripple_samples: f64) -> Self {
        let equalizer = Some(EqualizerWish { delay_ripple: delay_ripple_samples });
        Wish { equalizer, ..self }
    }

    /// On integers: these words, this structure.
    pub fn words(self, fixed: Fixed) -> Self {
        Wish { fixed: Some(fixed), ..self }
    }

    /// In hardware that shares multipliers.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::spec::{Fixed, Hardware, Structure};
    /// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    /// let wish = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words);
    /// let study = wish.hardware(Hardware::default()).study()?;
    /// assert_eq!(study.hardware()?.expect("asked for").unit.interval(), 20);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn hardware(self, hardware: Hardware) -> Self {
        Wish { hardware: Some(hardware), ..self }
    }

    /// On a processor.
    pub fn firmware(self, firmware: Firmware) -> Self {
        Wish { firmware, ..self }
    }

    /// In floating point, in the structure that is usual for it and for inputs up to 1.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::float::FloatFormat;
    /// let wish = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).float(FloatFormat::Single);
    /// assert!(wish.study()?.float()?.is_some());
    /// # Ok::<(), mellow_rake::study::StudyError>(())
    /// ```
    pub fn float(self, format: FloatFormat) -> Self {
        // Whether it has taps is known when it is built.
        self.in_float(Float::new(format, false))
    }

    /// The same with its structure and the largest input said.
    pub fn in_float(self, float: Float) -> Self {
        Wish { float: Some(float), ..self }
    }

    /// How much work searches and proofs may do.
    pub fn effort(self, effort: Effort) -> Self {
        Wish { effort, ..self }
    }

    /// The spec.
    ///
    /// # Errors
    /// [`SpecError`] of the first thing that is wrong, with its key; it has no line.
    pub fn spec(self) -> Result<Spec, SpecError> {
        let effort = self.effort;
        let mut want = self.want?;
        if let Want::Fir(wish) = &mut want {
            wish.effort = effort;
        }
        if self.float.is_some() && self.fixed.is_some() {
            return Err(wrong("float", Problem::Both { other: "fixed" }));
        }
        if self.hardware.is_some() && self.fixed.is_none() {
            return Err(wrong("hardware", without_words()));
        }
        if self.firmware != Firmware::default() && self.fixed.is_none() {
            return Err(wrong("firmware", super::firmware::without_words()));
        }
        let chosen = |float: Float| match float.is_chosen {
            true => Float { peak: float.peak, ..Float::new(float.format, want.has_taps()) },
            false => float,
        };
        let float = self.float.map(chosen);
        Ok(Spec {
            name: self.name?,
            sample_rate: self.rate?,
            want,
            equalizer: self.equalizer,
            float,
            hardware: self.hardware,
            firmware: self.firmware,
            fixed: self.fixed.map(|fixed| Fixed { effort, ..fixed }),
            converter: None,
            verify: Verify::default(),
            effort,
        })
    }
}

/// Functions that take one edge, or two, as quantities and as plain numbers of hertz.
macro_rules! edges {
    ($($(#[$doc:meta])* $one:ident $one_hz:ident $two:ident $two_hz:ident $field:ident;)*) => {$(
        $(#[$doc])*
        pub fn $one(self, edge: impl Stated<Frequency>) -> Self {
            let key = concat!("want.", stringify!($one));
            self.say(stated(key, edge).map(|edge| vec![edge]), |wish, edges| wish.$field = edges)
        }

        /// The same in hertz.
        pub fn $one_hz(self, hertz: f64) -> Self {
            self.$one(Frequency::Hertz(hertz))
        }

        /// Of a band both edges, the lower first.
        pub fn $two(self, low: impl Stated<Frequency>, high: impl Stated<Frequency>) -> Self {
            let key = concat!("want.", stringify!($two));
            let edges = stated(key, low).and_then(|low| Ok(vec![low, stated(key, high)?]));
            self.say(edges, |wish, edges| wish.$field = edges)
        }

        /// The same in hertz.
        pub fn $two_hz(self, low: f64, high: f64) -> Self {
            self.$two(Frequency::Hertz(low), Frequency::Hertz(high))
        }
    )*};
}

impl BandWish {
    fn new(kind: BandKind, rate: impl Stated<SampleRate>) -> Self {
        BandWish {
            kind,
            rate: stated("sample_rate", rate),
            said: Ok(()),
            cutoff: Vec::new(),
            pass: Vec::new(),
            stop: Vec::new(),
            ripple: None,
            attenuation: None,
            mapping: Mapping::Bilinear,
        }
    }

    /// Takes what was said, or keeps the first thing that was wrong.
    fn say<T>(mut self, said: Result<T, SpecError>, take: impl FnOnce(&mut Self, T)) -> Self {
        match said {
            Ok(value) => take(&mut self, value),
            Err(error) => self.said = self.said.and(Err(error)),
        }
        self
    }

    edges! {
        /// Half power of a recursive filter, half amplitude of a finite response.
        cutoff cutoff_hz cutoffs cutoffs_hz cutoff;
        /// Where the pass-band ends.
        pass_edge pass_edge_hz pass_edges pass_edges_hz pass;
        /// Where the stop-band begins.
        stop_edge stop_edge_hz stop_edges stop_edges_hz stop;
    }

    /// Largest less smallest gain in the pass-band.
    pub fn ripple(self, level: impl Stated<Level>) -> Self {
        self.say(stated("want.ripple", level), |wish, level| wish.ripple = Some(level))
    }

    /// The same in decibels.
    pub fn ripple_db(self, decibels: f64) -> Self {
        self.ripple(Level::from_decibels(decibels))
    }

    /// How far the stop-band lies below the pass-band.
    pub fn attenuation(self, level: impl Stated<Level>) -> Self {
        self.say(stated("want.attenuation", level), |wish, level| wish.attenuation = Some(level))
    }

    /// The same in decibels.
    pub fn attenuation_db(self, decibels: f64) -> Self {
        self.attenuation(Level::from_decibels(decibels))
    }

    /// How the analogue prototype of a recursive filter becomes a digital one: bilinear where nothing is
    /// said.
    pub fn mapping(self, mapping: Mapping) -> Self {
        BandWish { mapping, ..self }
    }

    /// A Butterworth filter of this order, which counts all poles.
    pub fn butterworth(self, order: usize) -> Wish {
        self.recursive(Family::Butterworth, Some(order))
    }

    /// A recursive filter of a family, of this order, which counts all poles; without one of the smallest
    /// that keeps both edges.
    pub fn recursive(self, family: Family, order: Option<usize>) -> Wish {
        let edges = self.said.clone().and_then(|()| self.recursive_edges(order));
        let want = edges.map(|edges| {
            Want::Recursive(Recursive {
                kind: self.kind,
                family,
                mapping: self.mapping,
                edges,
                ripple: self.ripple,
                attenuation: self.attenuation,
            })
        });
        Wish::of(self.rate, want)
    }

    fn recursive_edges(&self, order: Option<usize>) -> Result<RecursiveEdges, SpecError> {
        let Self { cutoff, pass, stop, .. } = self;
        self.not_both()?;
        if !pass.is_empty() && !stop.is_empty() {
            return Ok(RecursiveEdges::Template { order, pass: pass.clone(), stop: stop.clone() });
        }
        let all = [
            (cutoff, EdgeMeaning::HalfPower),
            (pass, EdgeMeaning::RippleEnd),
            (stop, EdgeMeaning::StopBegin),
        ];
        let accepted = "a number of poles; without one, pass-band and stop-band edges";
        let order = order.ok_or_else(|| wrong("method.order", Problem::Missing { accepted }))?;
        match all.into_iter().find(|(edges, _)| !edges.is_empty()) {
            Some((edges, meaning)) => {
                Ok(RecursiveEdges::Recipe { meaning, edges: edges.clone(), order })
            }
            None => Err(no_edge()),
        }
    }

    /// A cut-off stands alone.
    fn not_both(&self) -> Result<(), SpecError> {
        let others = [(&self.pass, "want.pass_edge"), (&self.stop, "want.stop_edge")];
        match others.into_iter().find(|(edges, _)| !edges.is_empty() && !self.cutoff.is_empty()) {
            Some((_, other)) => Err(wrong("want.cutoff", Problem::Both { other })),
            None => Ok(()),
        }
    }

    /// Taps by a window: so many, or as many as the template needs.
    pub fn window(self, window: Window, taps: Option<usize>) -> Wish {
        self.finite(FirMethod::Window(window), taps)
    }

    /// Taps of equal ripple: so many, or as many as the template needs.
    pub fn equiripple(self, taps: Option<usize>) -> Wish {
        self.finite(FirMethod::Equiripple { weights: Vec::new() }, taps)
    }

    /// Taps of the least mean square error.
    pub fn least_squares(self, taps: usize) -> Wish {
        self.finite(FirMethod::LeastSquares { weights: Vec::new() }, Some(taps))
    }

    /// Taps by any method: so many, or as many as the template needs.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::spec::FirMethod;
    /// let taps = Wish::lowpass("96 kHz")
    ///     .pass_edge("8 kHz")
    ///     .stop_edge("12 kHz")
    ///     .ripple_db(0.1)
    ///     .attenuation_db(60.0)
    ///     .finite(FirMethod::Equiripple { weights: Vec::new() }, None);
    /// assert_eq!(taps.study()?.meets_spec(), Some(true));
    /// # Ok::<(), mellow_rake::study::StudyError>(())
    /// ```
    pub fn finite(self, method: FirMethod, taps: Option<usize>) -> Wish {
        let said = self.said.clone().and(self.rate.clone());
        let want = said.and_then(|rate| {
            let shape = FirShape::Band {
                kind: self.kind,
                edges: self.finite_edges(rate)?,
                ripple_db: self.ripple.map(Level::decibels),
                attenuation_db: self.attenuation.map(Level::decibels),
            };
            let (phase, effort) = (Phase::Linear, Effort::default());
            Ok(Want::Fir(FirWish { shape, method, taps, phase, unity_gain: false, effort }))
        });
        Wish::of(self.rate, want)
    }

    fn finite_edges(&self, rate: SampleRate) -> Result<FirEdges, SpecError> {
        self.not_both()?;
        let hertz =
            |edges: &[Frequency]| edges.iter().map(|edge| edge.hertz(rate)).collect::<Vec<f64>>();
        match (&self.cutoff[..], &self.pass[..], &self.stop[..]) {
            ([_, ..], ..) => Ok(FirEdges::Cutoff(hertz(&self.cutoff))),
            (_, [_, ..], []) => Ok(FirEdges::Pass(hertz(&self.pass))),
            (_, [_, ..], [_, ..]) => {
                Ok(FirEdges::Transition { pass: hertz(&self.pass), stop: hertz(&self.stop) })
            }
            _ => Err(no_edge()),
        }
    }
}

fn no_edge() -> SpecError {
    wrong(
        "want.cutoff",
        Problem::Missing { accepted: "a cut-off, or edges of pass-band and stop-band" },
    )
}
