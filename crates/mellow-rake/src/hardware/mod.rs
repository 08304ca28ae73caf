//! Hardware on shared multipliers: which unit does what in which clock, where each word is kept, and a
//! machine of registers that does it clock by clock.
//!
//! A [`SignalFlow`] is a datapath with its loops unrolled: *tasks*, each a sum of products with its rounding
//! and limit. A [`Schedule`] puts every product of every task on a multiplier in a clock. [`Scheduled`] is
//! one that was checked: every product happens once, and every word is written before it is read. It says
//! the interval and the latency, and is what hardware is written from. [`Machine`] has the registers of the
//! written hardware, and steps them clock by clock.
//!
//! # The unit
//!
//! One sample takes `interval` clocks, counted by `step`. What a product goes through, for one that is issued
//! in clock c:
//!
//! | clock | what happens | register behind it |
//! | --- | --- | --- |
//! | c | `step` gives addresses and marks | addresses |
//! | c + 1 | words and coefficient are read | operands |
//! | c + 2, where pairs share coefficients | the words of a pair are added | pair |
//! | then | the product, in one or more stages | product |
//! | then, where it is more than wires and pipelined | it is brought to the sum's fraction | aligned |
//! | then, of several multipliers | the products of a clock are added | products |
//! | then | it is added to the sum; the first of a task begins it | sum |
//! | then, where it is more than wires and pipelined | the sum is rounded | rounded |
//! | then, behind the last of a task | the sum is rounded and limited, or limited | result |
//! | then | the result is written to the memory, and delivered | memory, output |
//!
//! # The memory
//!
//! All remembered words stand in one memory that turns: a word in slot v in one firing stands in slot v + 1
//! in the next, since the address of a slot is its number plus a *head* that is one less in each firing. So
//! every word grows older in its place, and nothing is ever moved. A signal that is read up to age d has d +
//! 1 slots; it is written in the first. The slot that a signal is written in was, a firing before, the last
//! of its neighbour below, whose word is now too old to be read. (Registers that turn like this: B. R. Rau,
//! M. Lee, P. P. Tirumalai, M. S. Schlansker, "Register allocation for software pipelined loops", 1992.)
//!
//! Several channels take turns, each with a memory of its own; the head moves when all had theirs. Different
//! filters can be the channels ([`TimeShared`]): each has clocks of its own then.

mod assign;
mod choice;
mod choice_time_shared;
mod error;
mod estimate;
mod flow;
mod load_map;
mod loops;
mod machine;
mod mixer;
mod network;
mod parallel;
mod program;
mod record;
mod schedule;
mod staged;
mod stages;
mod time_shared;
mod unroll;

pub use assign::schedule;
pub use choice::{HardwareChoice, HardwareUnit, choose};
pub use choice_time_shared::TimeSharedChoice;
pub use error::{HardwareError, ScheduleError};
pub use estimate::{Built, Estimate, Part};
pub use flow::{Alignment, FlowProduct, FlowSimulator, FlowWord, SignalFlow, Step, Task};
pub use load_map::{LoadError, LoadMap, LoadedTable};
pub use loops::SlowestLoop;
pub use machine::{ClockInput, ClockOutput, Load, Machine};
pub(crate) use mixer::{MixerProduct, mixer_latency, mixer_products};
pub use network::{NetworkHardware, NetworkHardwareError, NetworkMachine, NetworkPart};
pub use parallel::{ChainProduct, ChainTap, Joint, Parallel, ParallelMachine};
pub use program::{CoefficientWords, Ending, Instruction, Lane, UnitProgram};
pub(crate) use program::{bits_to, signed_bits};
pub use record::{HardwareRecord, IssueRecord, TaskRecord, TurnRecord, WordRecord};
pub use schedule::{Issue, Resources, Schedule, Scheduled};
pub use staged::{Staged, StagedMachine};
pub use stages::UnitStages;
pub use time_shared::TimeShared;
