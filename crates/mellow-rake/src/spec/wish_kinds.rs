//! The words of a wish for the kinds that let no single band through.

use super::wish::{Stated, Wish, stated};
use super::{
    DirectWish, FirMethod, FirShape, FirWish, Leak, Phase, Problem, SpecError, Want, WishedBand,
};
use crate::effort::Effort;
use crate::units::{Duration, Frequency, SampleRate};

/// Filters in closed form.
impl Wish {
    /// The complement of a notch: gain 1 at the centre, and the distance of its −3 dB points.
    pub fn peak(
        rate: impl Stated<SampleRate>,
        center: impl Stated<Frequency>,
        width: impl Stated<Frequency>,
    ) -> Self {
        Wish::of_width(rate, center, width, |center_hz, width_hz| DirectWish::Peak {
            center_hz,
            width_hz,
        })
    }

    /// Two poles and no zeros, gain 1 at the centre; the distance of its −3 dB points.
    pub fn resonator(
        rate: impl Stated<SampleRate>,
        center: impl Stated<Frequency>,
        width: impl Stated<Frequency>,
    ) -> Self {
        Wish::of_width(rate, center, width, |center_hz, width_hz| DirectWish::Resonator {
            center_hz,
            width_hz,
        })
    }

    /// A first-order all-pass: where its phase is −90°.
    pub fn first_order_all_pass(
        rate: impl Stated<SampleRate>,
        center: impl Stated<Frequency>,
    ) -> Self {
        Wish::closed(rate, "want.center", center, |center_hz| DirectWish::AllPassFirst {
            center_hz,
        })
    }

    /// A second-order all-pass: where its phase is −180°, and the distance of the points at −90° and −270°.
    pub fn second_order_all_pass(
        rate: impl Stated<SampleRate>,
        center: impl Stated<Frequency>,
        width: impl Stated<Frequency>,
    ) -> Self {
        Wish::of_width(rate, center, width, |center_hz, width_hz| DirectWish::AllPassSecond {
            center_hz,
            width_hz,
        })
    }

    /// Notches at the first harmonics of a fundamental, each with the distance of its −3 dB points.
    pub fn comb<W: Stated<Frequency>>(
        rate: impl Stated<SampleRate>,
        fundamental: impl Stated<Frequency>,
        widths: impl IntoIterator<Item = W>,
    ) -> Self {
        Wish::at(rate, |rate| {
            let fundamental_hz = stated("want.fundamental", fundamental)?.hertz(rate);
            let hertz = |width: W| Ok(stated("want.widths", width)?.hertz(rate));
            let widths_hz = widths.into_iter().map(hertz).collect::<Result<_, SpecError>>()?;
            Ok(Want::Direct(DirectWish::Comb { fundamental_hz, widths_hz }))
        })
    }

    /// A first-order mean that forgets: after this time 1/e of a step is left.
    pub fn leaky_integrator_over(
        rate: impl Stated<SampleRate>,
        time_constant: impl Stated<Duration>,
    ) -> Self {
        Wish::at(rate, |rate| {
            let samples = stated("want.time_constant", time_constant)?.samples(rate);
            Ok(Want::Direct(DirectWish::LeakyIntegrator(Leak::TimeConstant(samples))))
        })
    }

    fn of_width(
        rate: impl Stated<SampleRate>,
        center: impl Stated<Frequency>,
        width: impl Stated<Frequency>,
        wish: impl Fn(f64, f64) -> DirectWish,
    ) -> Self {
        Wish::at(rate, |rate| {
            let center = stated("want.center", center)?.hertz(rate);
            Ok(Want::Direct(wish(center, stated("want.width", width)?.hertz(rate))))
        })
    }
}

/// Finite impulse responses. Each has a method of its own where [`method`](Wish::method) names no other.
impl Wish {
    /// Any number of bands, each with its level and weight.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::spec::WishedBand;
    /// let band = |edges_hz, level: f64, weight| WishedBand { edges_hz, level: [level; 2], weight };
    /// let bands = [band([0.0, 60.0], 1.0, 1.0), band([80.0, 500.0], 0.0, 10.0)];
    /// let filter = Wish::multiband("1 kHz", bands, 101).filter()?;
    /// assert_eq!(filter.taps().map(|taps| taps.0.len()), Some(101));
    /// # Ok::<(), mellow_rake::study::StudyError>(())
    /// ```
    pub fn multiband(
        rate: impl Stated<SampleRate>,
        bands: impl Into<Vec<WishedBand>>,
        taps: usize,
    ) -> Self {
        Wish::shaped(rate, taps, equiripple(), |_| Ok(FirShape::Multiband(bands.into())))
    }

    /// A magnitude through points of rising frequency, each with its gain as a ratio; straight lines between
    /// them. By frequency sampling.
    pub fn points<F: Stated<Frequency>>(
        rate: impl Stated<SampleRate>,
        points: impl IntoIterator<Item = (F, f64)>,
        taps: usize,
    ) -> Self {
        let method = FirMethod::FrequencySampling { transition_samples: Vec::new() };
        Wish::shaped(rate, taps, method, |rate| {
            let point =
                |(at, gain)| Ok((stated::<Frequency>("want.points", at)?.hertz(rate), gain));
            Ok(FirShape::Points(points.into_iter().map(point).collect::<Result<_, SpecError>>()?))
        })
    }

    /// The derivative with respect to the sample index, up to an edge.
    pub fn differentiator(
        rate: impl Stated<SampleRate>,
        pass_edge: impl Stated<Frequency>,
        taps: usize,
    ) -> Self {
        Wish::shaped(rate, taps, equiripple(), |rate| {
            let pass_hz = stated("want.pass_edge", pass_edge)?.hertz(rate);
            Ok(FirShape::Differentiator { pass_hz })
        })
    }

    /// A shift by −90° between two edges.
    pub fn hilbert<F: Stated<Frequency>>(
        rate: impl Stated<SampleRate>,
        pass_edges: [F; 2],
        taps: usize,
    ) -> Self {
        Wish::shaped(rate, taps, equiripple(), |rate| {
            let [low, high] = pass_edges.map(|edge| stated::<Frequency>("want.pass_edges", edge));
            Ok(FirShape::Hilbert { pass_hz: [low?.hertz(rate), high?.hertz(rate)] })
        })
    }

    /// A low-pass whose every second tap from the middle is zero: where its pass-band ends.
    pub fn half_band(
        rate: impl Stated<SampleRate>,
        pass_edge: impl Stated<Frequency>,
        taps: usize,
    ) -> Self {
        Wish::mth_band(rate, 2, pass_edge, taps)
    }

    /// A low-pass whose every `factor`-th tap from the middle is zero: where its pass-band ends.
    pub fn mth_band(
        rate: impl Stated<SampleRate>,
        factor: usize,
        pass_edge: impl Stated<Frequency>,
        taps: usize,
    ) -> Self {
        Wish::shaped(rate, taps, equiripple(), |rate| {
            let pass_hz = Some(stated("want.pass_edge", pass_edge)?.hertz(rate));
            Ok(FirShape::MthBand { factor, pass_hz })
        })
    }

    /// A pulse without intersymbol interference: symbols per second, and the excess bandwidth, 0 to 1.
    pub fn raised_cosine(
        rate: impl Stated<SampleRate>,
        symbol_rate: impl Stated<Frequency>,
        rolloff: f64,
        taps: usize,
    ) -> Self {
        Wish::pulse(rate, symbol_rate, rolloff, taps, false)
    }

    /// Its square root, of which two in series make one.
    pub fn root_raised_cosine(
        rate: impl Stated<SampleRate>,
        symbol_rate: impl Stated<Frequency>,
        rolloff: f64,
        taps: usize,
    ) -> Self {
        Wish::pulse(rate, symbol_rate, rolloff, taps, true)
    }

    fn pulse(
        rate: impl Stated<SampleRate>,
        symbol_rate: impl Stated<Frequency>,
        rolloff: f64,
        taps: usize,
        root: bool,
    ) -> Self {
        Wish::shaped(rate, taps, FirMethod::ClosedForm, |rate| {
            let symbol_rate_hz = stated("want.symbol_rate", symbol_rate)?.hertz(rate);
            Ok(FirShape::RaisedCosine { symbol_rate_hz, rolloff, root })
        })
    }

    /// The local polynomial of best fit, of a degree.
    pub fn smoother(rate: impl Stated<SampleRate>, degree: usize, taps: usize) -> Self {
        let shape = FirShape::Smoother { degree, derivative: 0 };
        Wish::shaped(rate, taps, FirMethod::ClosedForm, |_| Ok(shape))
    }

    /// The mean of the last samples.
    pub fn average(rate: impl Stated<SampleRate>, taps: usize) -> Self {
        Wish::shaped(rate, taps, FirMethod::ClosedForm, |_| Ok(FirShape::Average))
    }

    /// Taps by another method than the usual one of their kind.
    pub fn method(self, method: FirMethod) -> Self {
        self.change_want(|want| match want {
            Want::Fir(wish) => {
                wish.method = method;
                Ok(())
            }
            _ => {
                let accepted = "a finite impulse response before it".to_owned();
                let found = "no finite impulse response".to_owned();
                Err(super::wish::wrong("method", Problem::Range { found, accepted }))
            }
        })
    }

    fn shaped(
        rate: impl Stated<SampleRate>,
        taps: usize,
        method: FirMethod,
        shape: impl FnOnce(SampleRate) -> Result<FirShape, SpecError>,
    ) -> Self {
        Wish::at(rate, |rate| {
            let (phase, effort) = (Phase::Linear, Effort::default());
            let (shape, taps) = (shape(rate)?, Some(taps));
            Ok(Want::Fir(FirWish { shape, method, taps, phase, unity_gain: false, effort }))
        })
    }
}

fn equiripple() -> FirMethod {
    FirMethod::Equiripple { weights: Vec::new() }
}
