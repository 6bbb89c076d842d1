//! In the place of PDF, in a build without it.

use thiserror::Error;

use crate::scene::Scene;

/// Why there is no PDF.
#[derive(Debug, Error)]
#[error("this build of Ylotrope makes no PDF; .svg works")]
pub struct PdfError;

/// No PDF.
///
/// # Errors
/// Always.
pub fn pdf(_scene: &Scene) -> Result<Vec<u8>, PdfError> {
    Err(PdfError)
}
