//! The utilities, a file or folder each, named as the command. A utility imports none of the
//! others: what two of them need is in `common` or `text`.

use crate::spec::Definition;

/// Declares the modules and lists their definitions, so that a new utility is one word here.
macro_rules! utilities {
    ($($name:ident)*) => {
        $(mod $name;)*

        /// The definitions, in the order of their names.
        pub(crate) static UTILITIES: &[&Definition] =
            &[&test::bracket::DEFINITION, $(&$name::DEFINITION),*];
    };
}

utilities! {
    basename bunzip2 bzcat bzip2 cat cksum column comm csplit cut date dirname echo
    expand expr r#false fields fmt fold grep gunzip gzip head join md5sum meter nl numfmt od
    paste printf rev seq sha256sum shuf sleep sort split stamp tac tail tee test tr
    r#true tsort unexpand uniq unxz unzstd venn wc xargs xz xzcat yes zcat zstd zstdcat
}
