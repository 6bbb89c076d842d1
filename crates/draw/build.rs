//! Compresses the fonts that drawings as PDF embed: they are half as large in the program then.

#![allow(clippy::print_stdout, reason = "that is how a build script speaks")]

fn main() -> std::io::Result<()> {
    println!("cargo::rerun-if-changed=build.rs");
    #[cfg(feature = "pdf")]
    {
        let folder = std::env::var_os("OUT_DIR").map(std::path::PathBuf::from).unwrap_or_default();
        for (name, font) in [
            ("mono", dejavu::sans_mono::regular()),
            ("mono-bold", dejavu::sans_mono::bold()),
            ("sans", dejavu::sans::regular()),
        ] {
            std::fs::write(folder.join(name), zstd::encode_all(font, 19)?)?;
        }
    }
    Ok(())
}
