//! What goes to the terminal's clipboard.

use engine::Kept;

use crate::screen::place::{Focus, Place};
use crate::screen::view_name::BENCH;
use crate::state::app::App;
use crate::state::lens::row_lines;

/// Bytes that are copied at most: terminals take no more, and some less.
const COPIED_MAX: u64 = 1 << 20;

impl App {
    /// Copies the line under the cursor of the lens, or the selected stream.
    pub(crate) fn copy(&mut self) {
        let Some(preview) = self.result.preview.clone() else {
            self.message = Some("nothing to copy yet".to_owned());
            return;
        };
        if self.view == BENCH && self.focus == Focus::Lens {
            let (_, left, right) = row_lines(&preview, &self.lens.content, self.lens.cursor);
            match right.or(left) {
                Some(line) => self.offer(line.to_vec(), "the line"),
                None => self.message = Some("no line to copy".to_owned()),
            }
            return;
        }
        let (kept, what) = match self.shown() {
            Place::Source => {
                let input = preview.stages.first().and_then(|stage| stage.inputs.first());
                (input.map(|input| input.kept.clone()), "what the first stage reads".to_owned())
            }
            Place::Stage(number) | Place::Stream(number) => {
                let stage = preview.stages.get(number);
                (stage.map(|stage| stage.out.clone()), format!("what stage {} writes", number + 1))
            }
        };
        match kept {
            Some(kept) => self.copy_stream(&kept, &what),
            None => self.message = Some("nothing to copy here".to_owned()),
        }
    }

    fn copy_stream(&mut self, kept: &Kept, what: &str) {
        if kept.bytes() > COPIED_MAX {
            self.message = Some(format!(
                "{what} has {}: more than {} terminals do not accept; write it to a file",
                insight::bytes(kept.bytes()),
                insight::bytes(COPIED_MAX),
            ));
            return;
        }
        self.offer(kept.contents(), what);
    }

    /// Copies the command text.
    pub(crate) fn copy_text(&mut self) {
        self.offer(self.text.editor.text().as_bytes().to_vec(), "the command text");
    }

    fn offer(&mut self, bytes: Vec<u8>, what: &str) {
        let size = insight::bytes(bytes.len() as u64);
        self.message = Some(format!("{what} copied ({size}), where the terminal allows it"));
        self.clipboard = Some(bytes);
    }

    /// What is to be copied now.
    pub(crate) fn take_clipboard(&mut self) -> Option<Vec<u8>> {
        self.clipboard.take()
    }
}
