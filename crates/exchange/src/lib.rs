//! One module per open file format. Bytes in, bytes out; no files, no network.

mod error;
mod export;
pub mod glb;
mod step;
mod stl;
mod three_mf;

pub use error::ExchangeError;
pub use export::{Export, Format, NamedBody};
