//! The families of namespaces that workbooks use.

/// The two families of namespaces (ECMA-376 parts 1 and 4): a workbook keeps to its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Family {
    /// What nearly all programs write.
    #[default]
    Transitional,
    /// Strict, as in ISO/IEC 29500.
    Strict,
}

impl Family {
    /// The namespace of worksheets.
    pub(crate) fn main(self) -> &'static str {
        match self {
            Self::Transitional => "http://schemas.openxmlformats.org/spreadsheetml/2006/main",
            Self::Strict => "http://purl.oclc.org/ooxml/spreadsheetml/main",
        }
    }

    /// What the types of ties begin with, and the namespace of their ids.
    pub(crate) fn relationships(self) -> &'static str {
        match self {
            Self::Transitional => "http://schemas.openxmlformats.org/officeDocument/2006/relationships",
            Self::Strict => "http://purl.oclc.org/ooxml/officeDocument/relationships",
        }
    }
}
