//! From a wish to code that is proved: a walk through the library, every step of it run as a test.
//!
//! A buoy off Lantern Reef measures the strain of its mooring line a thousand times a second, in 16 bits.
//! Waves pull at it below 20 Hz; from 60 Hz on there is only what the pump and the chain do. The filter will
//! run on a small processor.
//!
//! # 1. Say what is wanted
//!
//! A [`Wish`](crate::Wish) is said in words of the trade, with quantities as text or as plain numbers where
//! the name says the unit. It is checked when it is used: what is wrong comes back with the key that it would
//! have in a spec file.
//!
//! ```
//! use mellow_rake::Wish;
//! use mellow_rake::filter::Family;
//!
//! let wish = || Wish::lowpass("1 kHz").pass_edge("20 Hz").stop_edge("60 Hz").ripple_db(0.5);
//! let study = wish().attenuation_db(60.0).recursive(Family::Elliptic, None).study()?;
//! // Without an order the smallest that keeps the template is taken.
//! assert_eq!(study.design.form.sections().map(|sections| sections.0.len()), Some(2));
//! assert_eq!(study.meets_spec(), Some(true));
//!
//! let error = wish().attenuation("sixty").recursive(Family::Elliptic, None).study().unwrap_err();
//! assert!(error.to_string().starts_with("key `want.attenuation`"));
//! # Ok::<(), mellow_rake::study::StudyError>(())
//! ```
//!
//! The same in a file is a spec; [`Study::of_text`](crate::study::Study::of_text) reads it, and both give the
//! same filter.
//!
//! # 2. Look at what came
//!
//! What was asked stands beside what was found, with the margin between them. Anything else about a filter is
//! a question to [`response`](crate::response).
//!
//! ```
//! # use mellow_rake::{Wish, filter::Family};
//! # let study = Wish::lowpass("1 kHz").pass_edge("20 Hz").stop_edge("60 Hz").ripple_db(0.5)
//! #     .attenuation_db(60.0).recursive(Family::Elliptic, None).study()?;
//! use mellow_rake::response::gain_db;
//!
//! let rows = study.designed().rows(&study.design.choice, study.spec.sample_rate);
//! // A filter that just keeps a limit keeps it but for the last digits.
//! assert!(rows.iter().filter_map(|row| row.margin()).all(|margin| margin >= -1e-6));
//!
//! let pump = gain_db(&study.design.form, study.spec.sample_rate, 87.5);
//! assert!(pump < -60.0);
//! # Ok::<(), mellow_rake::study::StudyError>(())
//! ```
//!
//! # 3. Filter something
//!
//! A designed filter is a [`Form`](crate::filter::Form): it changes a slice in place, runs along an iterator,
//! or goes forward and backward over a recording, without delay.
//!
//! ```
//! # use mellow_rake::{Wish, filter::Family};
//! # let study = Wish::lowpass("1 kHz").pass_edge("20 Hz").stop_edge("60 Hz").ripple_db(0.5)
//! #     .attenuation_db(60.0).recursive(Family::Elliptic, None).study()?;
//! let lowpass = &study.design.form;
//! let strain: Vec<f64> = (0..2000).map(|n| if n < 1000 { 0.0 } else { 1.0 }).collect();
//!
//! let mut causal = strain.clone();
//! lowpass.apply(&mut causal);
//! let along: Vec<f64> = lowpass.stream(strain.iter().copied()).collect();
//! assert_eq!(causal, along);
//!
//! // Half of a step is reached late by a causal filter, in time by one that runs both ways.
//! let halfway = |y: &[f64]| y.iter().position(|y| *y > 0.5);
//! assert_eq!(halfway(&causal), Some(1025));
//! assert_eq!(halfway(&lowpass.zero_phase(&strain).samples), Some(1001));
//! # Ok::<(), mellow_rake::study::StudyError>(())
//! ```
//!
//! # 4. Put it on integers
//!
//! [`Fixed`](crate::spec::Fixed) says the words: their formats, the structure, how bits are dropped, what
//! happens at full scale. The study then holds the program on integers too, and what is proved about it.
//!
//! ```
//! # use mellow_rake::{Wish, filter::Family};
//! use mellow_rake::datapath::Simulator;
//! use mellow_rake::spec::{Fixed, Structure};
//! use mellow_rake::verify::judge;
//!
//! let on = |coefficients: &str| -> Result<_, Box<dyn std::error::Error>> {
//!     let mut words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
//!     words.coefficients = coefficients.parse()?;
//!     let wish = Wish::lowpass("1 kHz").pass_edge("20 Hz").stop_edge("60 Hz").ripple_db(0.5);
//!     let wish = wish.attenuation_db(60.0).recursive(Family::Elliptic, None);
//!     Ok(wish.name("waves").words(words).study()?)
//! };
//! // Rounded coefficients are another filter; it is held against the template again. With 16 bits it
//! // leaves it by 0.03 dB, with 20 by less than 0.002.
//! let excess = |study: &mellow_rake::study::Study| study.rounded_excess_db().unwrap();
//! assert!((excess(&on("s16")?) - 0.0275).abs() < 1e-4);
//! let study = on("s20")?;
//! assert!(excess(&study) < 0.002);
//! let filter = study.integers()?;
//!
//! // How far roundings can take it from floating point at most, and what they leave on average.
//! let lsb = filter.fixed.output.step();
//! let most = filter.checked.facts().bounds().clone()?.error.largest() / lsb;
//! let noise = filter.predicted_noise()?.rms() / lsb;
//! assert!(noise < most);
//!
//! // On the same words, integers and floating point are never further apart.
//! let (answered, error) = judge(filter, &study.design.form, &[16_384; 500]);
//! assert!(error.largest_lsb <= error.bound_lsb.unwrap());
//! assert_eq!(answered, Simulator::new(&filter.checked).run(&[16_384; 500]));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! Where words cannot hold a filter, the error says so, and what was tried and does. Which words and which
//! structure are worth it is a question to [`quantization`](crate::study::Study::quantization) and
//! [`sweep`](crate::study::Study::sweep), which take the [`Workers`](crate::study::Workers) that they run on.
//!
//! ```
//! # use mellow_rake::{Wish, filter::Family};
//! # use mellow_rake::spec::{Fixed, Structure};
//! use mellow_rake::study::{InTurn, StudyError};
//!
//! let mut words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
//! words.coefficients = "s8".parse()?;
//! let study = Wish::lowpass("1 kHz").pass_edge("2 Hz").stop_edge("6 Hz").ripple_db(0.5)
//!     .attenuation_db(60.0).recursive(Family::Elliptic, None).words(words).study()?;
//! let Err(StudyError::Implement { advice: Some(advice), .. }) = study.integers() else {
//!     return Err("eight bits do".into());
//! };
//! println!("{}", advice.change);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # 5. Read the program
//!
//! All of this hangs on one thing: a filter on integers is a [`datapath`](crate::datapath), a short exact
//! program, and the simulator, the proofs and the writers read the same one. It can be read by people too,
//! and written by hand.
//!
//! ```
//! # use mellow_rake::{Wish, spec::{Fixed, Structure}};
//! use mellow_rake::datapath::dump;
//!
//! let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
//! let study = Wish::dc_blocker("1 kHz", "0.5 Hz").name("waves").words(words).study()?;
//! let program = dump(&study.integers()?.checked);
//! assert!(program.contains("round"));
//! println!("{program}");
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # 6. Write it, and hold what runs against it
//!
//! ```
//! # use mellow_rake::{Wish, spec::{Fixed, Structure}};
//! use mellow_rake::datapath::Simulator;
//! use mellow_rake::verify::{compare, stimuli};
//! use mellow_rake::write::Language;
//!
//! let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
//! let study = Wish::dc_blocker("1 kHz", "0.5 Hz").name("waves").words(words).study()?;
//! let names: Vec<_> = study.files(&[Language::C, Language::Verilog])?.into_iter()
//!     .map(|file| file.name).collect();
//! assert_eq!(names[..2], ["waves.h", "waves.c"]);
//!
//! // Whatever ran, wherever it ran: its words are those of the simulator, or it is not this filter.
//! let filter = study.integers()?;
//! for stimulus in stimuli(&filter.checked, None, None) {
//!     let expected = Simulator::new(&filter.checked).run(&stimulus.samples);
//!     let device = |samples: &[i64]| Simulator::reference(&filter.checked).run(samples);
//!     assert_eq!(compare(&expected, &device(&stimulus.samples)).first, None, "{}", stimulus.name);
//! }
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! The crate `mellow-rake-rig` compiles and simulates the text with real tools and does that comparison;
//! `mrake verify` is one call of it. The folder `examples` of this crate tells six stories of the buoy from
//! beginning to end.
