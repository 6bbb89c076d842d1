//! Why there is no PDF.

use thiserror::Error;

/// Why there is no PDF.
#[derive(Debug, Error)]
pub enum PdfError {
    /// A font that comes with this cannot be read.
    #[error("the drawing cannot be made a PDF: a font of its own cannot be read")]
    Font,
    /// Of a font the part that is used cannot be cut out.
    #[error("the drawing cannot be made a PDF: {0}")]
    Subset(#[from] subsetter::Error),
    /// Its content cannot be compressed.
    #[error("the drawing cannot be made a PDF: {0}")]
    Compressed(#[from] std::io::Error),
}
