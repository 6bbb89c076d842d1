//! `cksum`: writes the CRC checksum and the length of files.

use stream::{ExitStatus, StageError, StageIo};

use crate::common::checksum::whole;
use crate::spec::{Definition, Filter, Operands, Spec, Style, Verb, example};
use crate::text::phrases::from_files;

static SPEC: Spec = Spec {
    name: "cksum",
    summary: "writes the CRC checksum and the length of files",
    options: &[],
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("cksum gate.log", "checksum, bytes, name")],
};

pub(crate) static DEFINITION: Definition = Definition::new(
    &SPEC,
    |arguments| Ok(Box::new(Cksum { files: arguments.operand_values() })),
    |arguments| format!("writes checksum and length{}", from_files(&arguments.operand_values())),
);

struct Cksum {
    files: Vec<Vec<u8>>,
}

/// The polynomial of POSIX `cksum`.
const POSIX_CRC: crc::Crc<u32, crc::Table<16>> =
    crc::Crc::<u32, crc::Table<16>>::new(&crc::CRC_32_CKSUM);

impl Filter for Cksum {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let bare = self.files.is_empty();
        io.each_input(&self.files, 1, |io, input, name| {
            let mut digest = POSIX_CRC.digest();
            let mut length = 0u64;
            while let Some(lines) = input.next_block()? {
                digest.update(&lines.bytes);
                length += lines.bytes.len() as u64;
            }
            let mut rest = length;
            while rest > 0 {
                digest.update(&[rest as u8]);
                rest >>= 8;
            }
            let mut line = format!("{} {length}", digest.finalize()).into_bytes();
            if !bare {
                line.push(b' ');
                line.extend_from_slice(&io.shown_name(name));
            }
            io.out().line(&line, whole(input))?;
            Ok(())
        })?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Merges
    }
}
