//! One command, one file.

mod chain;
pub(crate) mod compare;
mod cores;
pub(crate) mod cost;
pub(crate) mod demo;
mod demo_chain;
pub(crate) mod design;
pub(crate) mod generate;
pub(crate) mod inspect;
pub(crate) mod measure;
mod modulated;
pub(crate) mod new;
pub(crate) mod quantize;
pub(crate) mod run;
mod run_chain;
pub(crate) mod sensitivity;
pub(crate) mod signal;
pub(crate) mod verify;
pub(crate) mod watch;
