//! One study of one spec: everything that the other rooms know of it, for every front end.

mod line_remedies;

pub use line_remedies::{LineRemedy, line_remedies};
