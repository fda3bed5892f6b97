//! The styles part: number formats and the cell formats that use them.

use crate::limits;
use crate::xml;
use std::fmt::Write as _;

/// A cell format by its place in the styles part, from 0.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct StyleId(pub u32);

/// Number formats that have a number of their own (ECMA-376 part 1, 18.8.30). Those whose look depends on the viewer's
/// country (14 to 22 among them) are left out.
const BUILT_IN: [(u32, &str); 12] = [
    (0, "General"),
    (1, "0"),
    (2, "0.00"),
    (3, "#,##0"),
    (4, "#,##0.00"),
    (9, "0%"),
    (10, "0.00%"),
    (11, "0.00E+00"),
    (45, "mm:ss"),
    (46, "[h]:mm:ss"),
    (47, "mmss.0"),
    (49, "@"),
];

/// Those whose look depends on the viewer's country, and what they are elsewhere.
const BUILT_IN_DATES: [(u32, &str); 9] = [
    (14, "mm-dd-yy"),
    (15, "d-mmm-yy"),
    (16, "d-mmm"),
    (17, "mmm-yy"),
    (18, "h:mm AM/PM"),
    (19, "h:mm:ss AM/PM"),
    (20, "h:mm"),
    (21, "h:mm:ss"),
    (22, "m/d/yy h:mm"),
];

/// Those of amounts: their currency depends on the viewer's country too.
const BUILT_IN_AMOUNTS: [(u32, &str); 5] = [
    (12, "# ?/?"),
    (37, "#,##0;-#,##0"),
    (39, "#,##0.00;-#,##0.00"),
    (40, "#,##0.00;[Red]-#,##0.00"),
    (48, "##0.0E+0"),
];

/// The number of a number format that has one of its own.
pub(crate) fn built_in(code: &str) -> Option<u32> {
    BUILT_IN.iter().find(|(_, c)| *c == code).map(|(id, _)| *id)
}

/// The code of a number format that has a number of its own.
pub(crate) fn built_in_code(id: u32) -> Option<&'static str> {
    BUILT_IN.iter().chain(&BUILT_IN_DATES).chain(&BUILT_IN_AMOUNTS).find(|(n, _)| *n == id).map(|(_, c)| *c)
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct CellFormat {
    number_format: u32,
    bold: bool,
    wrapped: bool,
}

/// The formats of a new workbook.
#[derive(Clone, Debug)]
pub struct Styles {
    custom: Vec<String>,
    cells: Vec<CellFormat>,
}

impl Styles {
    /// The format of text: what is typed into such a cell stays as it is typed.
    pub const TEXT: StyleId = StyleId(1);
    /// Bold text on several lines: headings.
    pub const HEADING: StyleId = StyleId(2);

    /// Styles with the general, the text and the heading format.
    pub fn new() -> Self {
        let text = CellFormat { number_format: 49, bold: false, wrapped: false };
        Self {
            custom: Vec::new(),
            cells: vec![
                CellFormat { number_format: 0, ..text },
                text.clone(),
                CellFormat { bold: true, wrapped: true, ..text },
            ],
        }
    }

    /// The cell format that shows numbers by `code`, added if there is none yet.
    ///
    /// ```
    /// use incola_workbook::Styles;
    /// let mut styles = Styles::new();
    /// assert_eq!(styles.number_format("0.00"), styles.number_format("0.00"));
    /// assert_eq!(styles.number_format("@"), Styles::TEXT);
    /// ```
    pub fn number_format(&mut self, code: &str) -> StyleId {
        let number_format = built_in(code).unwrap_or_else(|| {
            let place = self.custom.iter().position(|c| c == code).unwrap_or_else(|| {
                self.custom.push(code.to_owned());
                self.custom.len() - 1
            });
            limits::FIRST_NUMBER_FORMAT + place as u32
        });
        let wanted = CellFormat { number_format, bold: false, wrapped: false };
        let place = self.cells.iter().position(|c| *c == wanted).unwrap_or_else(|| {
            self.cells.push(wanted);
            self.cells.len() - 1
        });
        StyleId(place as u32)
    }

    /// The number format of a cell format; `None` if there is no such cell format.
    pub(crate) fn code(&self, id: StyleId) -> Option<&str> {
        let number_format = self.cells.get(id.0 as usize)?.number_format;
        match number_format.checked_sub(limits::FIRST_NUMBER_FORMAT) {
            Some(place) => self.custom.get(place as usize).map(String::as_str),
            None => built_in_code(number_format),
        }
    }

    /// How many cell formats there are.
    pub(crate) fn count(&self) -> usize {
        self.cells.len()
    }

    /// The part's content.
    pub fn to_xml(&self) -> String {
        let mut out = String::from(crate::parts::DECLARATION);
        out.push_str("<styleSheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\">");
        if !self.custom.is_empty() {
            let _ = write!(out, "<numFmts count=\"{}\">", self.custom.len());
            for (code, id) in self.custom.iter().zip(limits::FIRST_NUMBER_FORMAT..) {
                let _ = write!(out, "<numFmt numFmtId=\"{id}\" formatCode=\"{}\"/>", xml::escaped(code));
            }
            out.push_str("</numFmts>");
        }
        out.push_str(
            "<fonts count=\"2\"><font><sz val=\"10\"/><name val=\"Arial\"/><family val=\"2\"/></font>\
             <font><b/><sz val=\"10\"/><name val=\"Arial\"/><family val=\"2\"/></font></fonts>\
             <fills count=\"2\"><fill><patternFill patternType=\"none\"/></fill>\
             <fill><patternFill patternType=\"gray125\"/></fill></fills>\
             <borders count=\"1\"><border><left/><right/><top/><bottom/><diagonal/></border></borders>\
             <cellStyleXfs count=\"1\"><xf numFmtId=\"0\" fontId=\"0\" fillId=\"0\" borderId=\"0\"/></cellStyleXfs>",
        );
        let _ = write!(out, "<cellXfs count=\"{}\">", self.cells.len());
        for cell in &self.cells {
            let _ = write!(
                out,
                "<xf numFmtId=\"{}\" fontId=\"{}\" fillId=\"0\" borderId=\"0\" xfId=\"0\"",
                cell.number_format,
                u8::from(cell.bold)
            );
            if cell.number_format != 0 {
                out.push_str(" applyNumberFormat=\"1\"");
            }
            if cell.bold {
                out.push_str(" applyFont=\"1\"");
            }
            if cell.wrapped {
                out.push_str(" applyAlignment=\"1\"><alignment vertical=\"top\" wrapText=\"1\"/></xf>");
            } else {
                out.push_str("/>");
            }
        }
        out.push_str(
            "</cellXfs><cellStyles count=\"1\"><cellStyle name=\"Normal\" xfId=\"0\" builtinId=\"0\"/></cellStyles>\
             <dxfs count=\"0\"/><tableStyles count=\"0\"/></styleSheet>",
        );
        out
    }
}

impl Default for Styles {
    fn default() -> Self {
        Self::new()
    }
}
