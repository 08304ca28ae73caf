//! A chain of stages said in Rust: the same types, checks and errors as of a text.

use super::wish::{stated, wrong};
use super::{
    ChainFixed, ChainSpec, Comb, Firmware, Hardware, Kept, Least, Name, Problem, RateChange,
    SpecError, StageWish, Stated, Want,
};
use crate::effort::Effort;
use crate::units::{Frequency, Level, SampleRate};

/// A chain of stages that is wanted, said in Rust. What is wrong in it is an error when it is built, by
/// [`spec`](ChainWish::spec) or `study`.
///
/// ```
/// use mellow_rake::ChainWish;
/// use mellow_rake::spec::ChainFixed;
/// let ships = ChainWish::new("96 kHz")
///     .down(8)
///     .pass_edge("5 kHz")
///     .ripple("0.1 dB")
///     .attenuation("70 dB")
///     .words(ChainFixed::new("s16f15".parse()?));
/// let study = ships.clone().study()?;
/// assert_eq!((study.chain().output_rate().hertz(), study.meets_spec()), (12_000.0, Some(true)));
/// assert!(study.integers().is_some());
///
/// let error = ships.pass_edge("7 kHz").spec().unwrap_err();
/// assert_eq!(error.key, "change.pass_edge");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct ChainWish {
    name: String,
    rate: Result<SampleRate, SpecError>,
    /// The first thing that was said wrong.
    said: Result<(), SpecError>,
    factors: [Option<usize>; 2],
    pass: Option<Frequency>,
    carriers: Vec<Frequency>,
    ripple_db: Option<f64>,
    attenuation_db: Option<f64>,
    kept: Kept,
    combs: bool,
    least: Least,
    is_complex: bool,
    channels: usize,
    stages: Vec<StageSaid>,
    fixed: Option<ChainFixed>,
    hardware: Option<Hardware>,
    firmware: Firmware,
    effort: Effort,
}

#[derive(Debug, Clone, PartialEq)]
struct StageSaid {
    up: usize,
    down: usize,
    want: Option<Want>,
    comb: Option<Comb>,
    gain_db: Option<f64>,
}

impl ChainWish {
    /// A chain whose input has this sample rate.
    pub fn new(rate: impl Stated<SampleRate>) -> Self {
        ChainWish {
            name: "chain".to_owned(),
            rate: stated("sample_rate", rate),
            said: Ok(()),
            factors: [None; 2],
            pass: None,
            carriers: Vec::new(),
            ripple_db: None,
            attenuation_db: None,
            kept: Kept::default(),
            combs: true,
            least: Least::default(),
            is_complex: false,
            channels: 1,
            stages: Vec::new(),
            fixed: None,
            hardware: None,
            firmware: Firmware::default(),
            effort: Effort::default(),
        }
    }

    /// Its name, which names files and symbols: "chain" where none is given.
    #[must_use]
    pub fn name(self, name: &str) -> Self {
        ChainWish { name: name.to_owned(), ..self }
    }

    /// By how much the rate goes up.
    #[must_use]
    pub fn up(mut self, factor: usize) -> Self {
        self.factors[0] = Some(factor);
        self
    }

    /// By how much it goes down.
    #[must_use]
    pub fn down(mut self, factor: usize) -> Self {
        self.factors[1] = Some(factor);
        self
    }

    /// Where the pass-band ends.
    #[must_use]
    pub fn pass_edge(self, edge: impl Stated<Frequency>) -> Self {
        self.say("change.pass_edge", edge, |wish, edge| wish.pass = Some(edge))
    }

    /// The ripple in the pass-band, peak to peak.
    #[must_use]
    pub fn ripple(self, ripple: impl Stated<Level>) -> Self {
        self.say("change.ripple", ripple, |wish, level| wish.ripple_db = Some(level.decibels()))
    }

    /// What every alias and image is weakened by.
    #[must_use]
    pub fn attenuation(self, attenuation: impl Stated<Level>) -> Self {
        self.say("change.attenuation", attenuation, |wish, level| {
            wish.attenuation_db = Some(level.decibels());
        })
    }

    /// What must stay clean of aliases; the pass-band where nothing is said.
    #[must_use]
    pub fn keep(self, kept: Kept) -> Self {
        ChainWish { kept, ..self }
    }

    /// A carrier that a signal is taken from, or put on where the rate goes up. Said several times there
    /// are as many, each with a complex signal of its own.
    #[must_use]
    pub fn carrier(self, carrier: impl Stated<Frequency>) -> Self {
        self.say("change.carrier", carrier, |wish, carrier| wish.carriers.push(carrier))
    }

    /// Of complex samples.
    #[must_use]
    pub fn complex(self) -> Self {
        ChainWish { is_complex: true, ..self }
    }

    /// Of so many channels side by side, 1 to [`ChainSpec::MOST_CHANNELS`].
    #[must_use]
    pub fn channels(self, channels: usize) -> Self {
        ChainWish { channels, ..self }
    }

    /// Whether stages that are found may be integrators and combs; they may where nothing is said.
    #[must_use]
    pub fn combs(self, combs: bool) -> Self {
        ChainWish { combs, ..self }
    }

    /// Of what stages that are found take the least.
    #[must_use]
    pub fn least(self, least: Least) -> Self {
        ChainWish { least, ..self }
    }

    /// The next stage, which is designed as the change needs it.
    ///
    /// ```
    /// use mellow_rake::ChainWish;
    /// let wish = ChainWish::new("1 kHz").stage(1, 5).stage(1, 2).pass_edge("20 Hz");
    /// let study = wish.ripple("0.1 dB").attenuation("60 dB").study()?;
    /// assert_eq!(study.chain().stages().len(), 2);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn stage(self, up: usize, down: usize) -> Self {
        self.with(StageSaid { up, down, want: None, comb: None, gain_db: None })
    }

    /// The next stage, with a filter of its own.
    #[must_use]
    pub fn filter_stage(self, up: usize, down: usize, want: Want) -> Self {
        self.with(StageSaid { up, down, want: Some(want), comb: None, gain_db: None })
    }

    /// The next stage, of integrators and combs.
    #[must_use]
    pub fn comb_stage(self, up: usize, down: usize, comb: Comb) -> Self {
        self.with(StageSaid { up, down, want: None, comb: Some(comb), gain_db: None })
    }

    /// The next stage, which only multiplies by a gain.
    ///
    /// ```
    /// use mellow_rake::ChainWish;
    /// let wish = ChainWish::new("1 kHz").gain_stage("20 dB").stage(1, 4).pass_edge("20 Hz");
    /// let study = wish.ripple("0.1 dB").attenuation("60 dB").study()?;
    /// assert!((study.pass_band().highest_db - 20.0).abs() < 0.06);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn gain_stage(self, gain: impl Stated<Level>) -> Self {
        let key = format!("stage.{}.gain", self.stages.len() + 1);
        self.say(&key, gain, |wish, gain| {
            let gain_db = Some(gain.decibels());
            wish.stages.push(StageSaid { up: 1, down: 1, want: None, comb: None, gain_db });
        })
    }

    /// On integers: these words.
    #[must_use]
    pub fn words(self, fixed: ChainFixed) -> Self {
        ChainWish { fixed: Some(fixed), ..self }
    }

    /// In hardware.
    #[must_use]
    pub fn hardware(self, hardware: Hardware) -> Self {
        ChainWish { hardware: Some(hardware), ..self }
    }

    /// On a processor.
    #[must_use]
    pub fn firmware(self, firmware: Firmware) -> Self {
        ChainWish { firmware, ..self }
    }

    /// How much work searches and proofs may do.
    #[must_use]
    pub fn effort(self, effort: Effort) -> Self {
        ChainWish { effort, ..self }
    }

    fn with(mut self, stage: StageSaid) -> Self {
        self.stages.push(stage);
        self
    }

    fn say<Q>(
        mut self,
        key: &str,
        quantity: impl Stated<Q>,
        set: impl FnOnce(&mut Self, Q),
    ) -> Self {
        match stated(key, quantity) {
            Ok(quantity) => set(&mut self, quantity),
            Err(error) => self.said = self.said.and(Err(error)),
        }
        self
    }

    /// The spec.
    ///
    /// # Errors
    /// [`SpecError`] of the first thing that is wrong, with its key; it has no line.
    pub fn spec(self) -> Result<ChainSpec, SpecError> {
        let sample_rate = self.rate?;
        self.said?;
        let name = Name::new(&self.name).map_err(|error| wrong("name", error))?;
        let within = |key: &str, found: usize, most: usize| match (1..=most).contains(&found) {
            true => Ok(()),
            false => Err(wrong(key, out_of(found.to_string(), format!("1 to {most}")))),
        };
        let (mut stages, mut all) = (Vec::new(), [1usize; 2]);
        within("stage", self.stages.len().max(1), ChainSpec::MOST_STAGES)?;
        for (index, StageSaid { up, down, want, comb, gain_db }) in
            self.stages.into_iter().enumerate()
        {
            let key = |own: &str| format!("stage.{}.{own}", index + 1);
            within(&key("up"), up, ChainSpec::LARGEST_FACTOR)?;
            within(&key("down"), down, ChainSpec::LARGEST_FACTOR)?;
            let between = sample_rate.hertz() * (all[0] * up) as f64 / all[1] as f64;
            all = [all[0] * up, all[1] * down];
            within(&key("up"), all[0], 1 << 16)?;
            within(&key("down"), all[1], 1 << 16)?;
            let rate = SampleRate::from_hertz(between)
                .ok_or_else(|| wrong(&key("up"), out_of_rates(between)))?;
            if let Some(gain_db) = gain_db {
                let has_comb = comb.is_some();
                check_gain(gain_db, has_comb).map_err(|problem| wrong(&key("gain"), problem))?;
            }
            stages.push(StageWish { up, down, rate, want, comb, gain_db });
        }
        let [up, down] =
            if stages.is_empty() { self.factors.map(|one| one.unwrap_or(1)) } else { all };
        for (key, found, of_stages) in
            [("change.up", self.factors[0], up), ("change.down", self.factors[1], down)]
        {
            within(key, found.unwrap_or(1), ChainSpec::LARGEST_FACTOR)?;
            if found.is_some_and(|found| found != of_stages) {
                let found = found.unwrap_or(1).to_string();
                return Err(wrong(key, out_of(found, format!("{of_stages}, as the stages say"))));
            }
        }
        if up == 1 && down == 1 && stages.is_empty() {
            return Err(wrong("change.down", out_of("1".to_owned(), "2 or more".to_owned())));
        }
        let pass = self.pass.ok_or_else(|| {
            let accepted = "a frequency, by `pass_edge`";
            wrong("change.pass_edge", Problem::Missing { accepted })
        })?;
        let change = RateChange {
            up,
            down,
            pass_hz: pass.hertz(sample_rate),
            ripple_db: self.ripple_db,
            attenuation_db: self.attenuation_db,
            kept: self.kept,
            combs: self.combs,
            least: self.least,
            carriers_hz: self.carriers.iter().map(|carrier| carrier.hertz(sample_rate)).collect(),
            is_complex: self.is_complex,
            channels: self.channels,
        };
        within("change.channels", self.channels, ChainSpec::MOST_CHANNELS)?;
        let wants = stages.iter().filter(|stage| stage.comb.is_none() && !stage.is_gain());
        let mut wants = wants.map(|stage| stage.want.is_some());
        let has_filters = wants.next().unwrap_or(false);
        if wants.any(|own| own != has_filters) {
            let accepted =
                "a filter in all stages but those of combs and of gains, or in none".to_owned();
            return Err(wrong(
                "stage",
                out_of("stages with a filter and without".to_owned(), accepted),
            ));
        }
        for (key, level) in
            [("change.ripple", change.ripple_db), ("change.attenuation", change.attenuation_db)]
        {
            if level.is_none() && !has_filters {
                return Err(wrong(key, Problem::Missing { accepted: "a level in decibels" }));
            }
        }
        check_change(&change, sample_rate).map_err(|(key, problem)| wrong(key, problem))?;
        let (mut fixed, hardware, firmware) = (self.fixed, self.hardware, self.firmware);
        let effort = self.effort;
        if let Some(fixed) = &mut fixed {
            fixed.effort = effort;
        }
        if hardware.is_some() && fixed.is_none() {
            return Err(wrong("hardware", super::hardware::without_words()));
        }
        if firmware != Firmware::default() && fixed.is_none() {
            return Err(wrong("firmware", super::firmware::without_words()));
        }
        for stage in &mut stages {
            if let Some(Want::Fir(wish)) = &mut stage.want {
                wish.effort = effort;
            }
        }
        Ok(ChainSpec { name, sample_rate, change, stages, fixed, hardware, firmware, effort })
    }
}

fn out_of(found: String, accepted: String) -> Problem {
    Problem::Range { found, accepted }
}

/// A rate that is none.
pub(super) fn out_of_rates(hertz: f64) -> Problem {
    out_of(format!("a filter at {hertz} Hz"), "rates of 1 nHz to 1 THz".to_owned())
}

/// What of a gain is out of its range.
pub(super) fn check_gain(gain_db: f64, has_comb: bool) -> Result<(), Problem> {
    let most = ChainSpec::LARGEST_GAIN_DB;
    if has_comb {
        let accepted = "a stage of its own for the gain, with nothing but `gain`".to_owned();
        return Err(out_of("a gain of integrators and combs".to_owned(), accepted));
    }
    match (-most..=most).contains(&gain_db) {
        true => Ok(()),
        false => Err(out_of(format!("{gain_db} dB"), format!("-{most} dB to {most} dB"))),
    }
}

/// What of a change is out of its range: its key and why.
pub(super) fn check_change(
    change: &RateChange,
    rate: SampleRate,
) -> Result<(), (&'static str, Problem)> {
    let (up, down, pass_hz) = (change.up, change.down, change.pass_hz);
    let output = rate.hertz() * up as f64 / down as f64;
    let (lower, higher) = (rate.hertz().min(output), rate.hertz().max(output));
    if !(pass_hz > 0.0 && pass_hz < lower / 2.0) {
        let accepted = format!(
            "above 0 Hz and below {} Hz, half of the lower of the rates {} Hz and {output} Hz",
            lower / 2.0,
            rate.hertz()
        );
        return Err(("change.pass_edge", out_of(format!("{pass_hz} Hz"), accepted)));
    }
    let levels = [
        ("change.ripple", change.ripple_db, [1e-4, 6.0]),
        ("change.attenuation", change.attenuation_db, [6.0, 160.0]),
    ];
    for (key, level, [least, most]) in levels {
        let Some(found) = level.filter(|level| !(least..=most).contains(level)) else { continue };
        return Err((key, out_of(format!("{found} dB"), format!("{least} dB to {most} dB"))));
    }
    let carriers = &change.carriers_hz;
    for (place, carrier) in carriers.iter().enumerate() {
        if !(*carrier > pass_hz && carrier + pass_hz < higher / 2.0) {
            let accepted = format!(
                "more than pass_edge, {pass_hz} Hz, and by as much below half of the higher rate: above \
                 {pass_hz} Hz and below {} Hz",
                higher / 2.0 - pass_hz
            );
            return Err(("change.carrier", out_of(format!("{carrier} Hz"), accepted)));
        }
        if carriers[..place].contains(carrier) {
            let accepted = "each carrier once".to_owned();
            return Err(("change.carrier", out_of(format!("{carrier} Hz twice"), accepted)));
        }
    }
    let (most, channels) = (ChainSpec::MOST_CARRIERS, change.channels);
    if carriers.len() * channels > most {
        let found = format!("{} carriers of {channels} channels", carriers.len());
        let accepted = format!("{most} carriers of all channels together");
        return Err(("change.carrier", out_of(found, accepted)));
    }
    if carriers.is_empty() {
        return Ok(());
    }
    if change.is_complex {
        let accepted = "one of both: a carrier makes complex samples of real ones, or real ones of complex \
                        ones";
        let found = "complex samples and a carrier".to_owned();
        return Err(("change.samples", out_of(found, accepted.to_owned())));
    }
    Ok(())
}
