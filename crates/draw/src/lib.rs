//! Drawings of what was done: a pipeline as a diagram, its wiring, the throughput of a run, the lines
//! after each stage. Plain data in, SVG or PDF out; light ground for print, legible in black and
//! white, text kept as text. A leaf crate: it knows no files, no threads and no terminal.

mod chart;
mod diagram;
#[cfg(feature = "pdf")]
mod pdf;
#[cfg(not(feature = "pdf"))]
#[path = "no_pdf.rs"]
mod pdf;
mod scene;
mod svg;
mod text;
mod wiring;

pub use chart::{Course, Funnel, FunnelRow, Throughput};
pub use diagram::{Diagram, Errors, FileOut, Stage, Stream};
pub use pdf::{PdfError, pdf};
pub use scene::Scene;
pub use svg::svg;
pub use text::visible;
pub use wiring::{Node, Port, Wiring};
