//! The styles part of an existing workbook: its cell formats, and ours behind them. A cell that stands there keeps its looks; only
//! the number format becomes ours.

use crate::error::{Error, Result};
use crate::existing::edit::{Edit, append, attribute_edit, children, edited};
use crate::limits;
use crate::markup::{Tag, TagKind, tags};
use crate::styles::{StyleId, Styles, built_in_code};
use crate::xml;
use std::collections::HashMap;
use std::fmt::Write as _;

/// A list of elements that more are put behind.
#[derive(Clone, Debug, Default)]
struct List {
    /// As they stand in the part, and those that were added.
    texts: Vec<String>,
    places: HashMap<String, usize>,
    /// How many were there.
    there: usize,
}

impl List {
    fn of(texts: Vec<String>) -> Self {
        let mut list = Self { there: texts.len(), ..Self::default() };
        for text in texts {
            list.push(text);
        }
        list
    }

    fn push(&mut self, text: String) -> usize {
        let place = self.texts.len();
        self.places.entry(text.clone()).or_insert(place);
        self.texts.push(text);
        place
    }

    /// The place of an element, which is added if there is none like it.
    fn place(&mut self, text: String) -> usize {
        match self.places.get(&text) {
            Some(place) => *place,
            None => self.push(text),
        }
    }

    fn added(&self) -> &[String] {
        &self.texts[self.there..]
    }
}

/// The cell formats of an existing workbook.
#[derive(Clone, Debug)]
pub(crate) struct StyleMap {
    part: String,
    content: Vec<u8>,
    prefix: String,
    /// Number formats with an id of their own: id and code.
    number_formats: Vec<(u32, String)>,
    number_formats_there: usize,
    fonts: List,
    cell_formats: List,
}

impl StyleMap {
    /// Reads a styles part.
    ///
    /// # Errors
    /// [`Error::Damaged`] if it is none.
    pub(crate) fn read(part: &str, content: &[u8]) -> Result<Self> {
        let all = tags(part, content)?;
        let damaged = || Error::Damaged(format!("{part}: it is not a styles part"));
        let root = all.first().filter(|t| t.opens("styleSheet")).ok_or_else(damaged)?;
        let texts = |element: &str| -> Vec<String> {
            let list = children(&all, element);
            list.iter()
                .map(|(t, end)| String::from_utf8_lossy(&content[t.start..*end]).into_owned())
                .collect()
        };
        let number_formats: Vec<(u32, String)> = children(&all, "numFmts")
            .iter()
            .filter_map(|(t, _)| {
                let code = t.attribute("formatCode")?.into_owned();
                Some((t.attribute("numFmtId")?.parse().ok()?, code))
            })
            .collect();
        Ok(Self {
            part: part.to_owned(),
            prefix: root.prefix().to_owned(),
            number_formats_there: number_formats.len(),
            number_formats,
            fonts: List::of(texts("fonts")),
            cell_formats: List::of(texts("cellXfs")),
            content: content.to_vec(),
        })
    }

    /// How many cell formats there are.
    pub(crate) fn count(&self) -> u32 {
        self.cell_formats.texts.len() as u32
    }

    /// The code of a cell format's number format.
    pub(crate) fn code(&self, cell_format: u32) -> String {
        let text = self.cell_formats.texts.get(cell_format as usize).map_or("", String::as_str);
        let id = tags("", text.as_bytes())
            .ok()
            .and_then(|t| t.first().and_then(|t| t.attribute("numFmtId")?.parse::<u32>().ok()))
            .unwrap_or(0);
        let own = self.number_formats.iter().find(|(n, _)| *n == id).map(|(_, code)| code.clone());
        own.or_else(|| built_in_code(id).map(str::to_owned)).unwrap_or_else(|| "General".into())
    }

    /// A cell format without what says how numbers are shown: two that are the same look the same.
    pub(crate) fn looks(&self, cell_format: u32) -> String {
        let text = self.cell_formats.texts.get(cell_format as usize).map_or("", String::as_str);
        with_number_format(text, None).unwrap_or_default()
    }

    /// Whether there is a cell format of that place.
    pub(crate) fn has(&self, cell_format: u32) -> bool {
        (cell_format as usize) < self.cell_formats.texts.len()
    }

    /// Whether a cell format looks as a cell without one, but for its number format.
    pub(crate) fn is_plain(&self, cell_format: u32) -> bool {
        let plain = |text: String| {
            // Spelled in full or left out: the same.
            let text = text.replace(" applyAlignment=\"0\"", "").replace(" applyFont=\"0\"", "");
            text.replace(" applyProtection=\"0\"", "").replace("></xf>", "/>")
        };
        cell_format == 0 || plain(self.looks(cell_format)) == plain(self.looks(0))
    }

    /// The place of cell format `base` with the number format of one of ours; added if there is none like it.
    pub(crate) fn resolve(&mut self, base: u32, styles: &Styles, id: StyleId) -> Result<u32> {
        let first = self.first_format();
        let base = if (base as usize) < self.cell_formats.texts.len() { base } else { first };
        if id == Styles::HEADING {
            return self.heading();
        }
        let Some(code) = styles.code(id) else { return Ok(base) };
        let own = self.code(base);
        if code == own || (code == "General" && own != "@") {
            return Ok(base);
        }
        let number_format = self.number_format(code);
        let text = with_number_format(&self.cell_formats.texts[base as usize], Some(number_format))?;
        self.cell_format(text)
    }

    fn cell_format(&mut self, text: String) -> Result<u32> {
        let place = self.cell_formats.place(text);
        if place >= limits::CELL_FORMATS {
            return Err(Error::Refused(format!("a workbook holds {} cell formats", limits::CELL_FORMATS)));
        }
        Ok(place as u32)
    }

    /// The first cell format, which is made if there is none.
    fn first_format(&mut self) -> u32 {
        if self.cell_formats.texts.is_empty() {
            let p = &self.prefix;
            let text = format!("<{p}xf numFmtId=\"0\" fontId=\"0\" fillId=\"0\" borderId=\"0\" xfId=\"0\"/>");
            self.cell_formats.push(text);
        }
        0
    }

    /// Our headings: the workbook's own font, bold.
    fn heading(&mut self) -> Result<u32> {
        let p = self.prefix.clone();
        let font = match self.fonts.texts.first().cloned() {
            Some(font) => {
                let inside = without_odd_color(&self.part, &content_of(&font)?)?;
                let has_bold = tags(&self.part, inside.as_bytes())?.iter().any(|t| t.opens("b"));
                let mark = if has_bold { String::new() } else { format!("<{p}b/>") };
                self.fonts.place(format!("<{p}font>{mark}{inside}</{p}font>"))
            }
            None => 0,
        };
        let first = self.cell_formats.texts[0].clone();
        let all = tags(&self.part, first.as_bytes())?;
        let own = |name: &str| {
            all.first()
                .and_then(|t| t.attribute(name))
                .map_or_else(|| "0".into(), std::borrow::Cow::into_owned)
        };
        let text = format!(
            "<{p}xf numFmtId=\"49\" fontId=\"{font}\" fillId=\"{}\" borderId=\"{}\" xfId=\"{}\" \
             applyNumberFormat=\"1\" applyFont=\"1\" applyAlignment=\"1\">\
             <{p}alignment vertical=\"top\" wrapText=\"1\"/></{p}xf>",
            own("fillId"),
            own("borderId"),
            own("xfId")
        );
        self.cell_format(text)
    }

    /// The id of a number format; added if there is none.
    fn number_format(&mut self, code: &str) -> u32 {
        if let Some(id) = crate::styles::built_in(code) {
            return id;
        }
        if let Some((id, _)) = self.number_formats.iter().find(|(_, c)| c == code) {
            return *id;
        }
        let highest = self.number_formats.iter().map(|(id, _)| *id).max().unwrap_or(0);
        let id = highest.max(limits::FIRST_NUMBER_FORMAT - 1) + 1;
        self.number_formats.push((id, code.to_owned()));
        id
    }

    /// The part with what was added.
    ///
    /// # Errors
    /// [`Error::Damaged`] if there is no place for it.
    pub(crate) fn content(&self) -> Result<Vec<u8>> {
        let (p, content) = (&self.prefix, &self.content);
        let all = tags(&self.part, content)?;
        let damaged = || Error::Damaged(format!("{}: it is not a styles part", self.part));
        let root = all.first().ok_or_else(damaged)?;
        let mut edits: Vec<Edit> = Vec::new();
        let count = |element: &str, to: usize, edits: &mut Vec<Edit>| {
            let tag = all.iter().find(|t| t.opens(element));
            edits.extend(tag.and_then(|t| attribute_edit(content, t, "count", &to.to_string())));
        };
        let added = &self.number_formats[self.number_formats_there..];
        if !added.is_empty() {
            let mut text = String::new();
            for (id, code) in added {
                let _ = write!(text, "<{p}numFmt numFmtId=\"{id}\" formatCode=\"{}\"/>", xml::escaped(code));
            }
            if let Some(more) = append(content, &all, "numFmts", &text) {
                edits.extend(more);
                count("numFmts", self.number_formats.len(), &mut edits);
            } else {
                let whole = format!("<{p}numFmts count=\"{}\">{text}</{p}numFmts>", added.len());
                edits.push((root.end..root.end, whole));
            }
        }
        if !self.fonts.added().is_empty() {
            edits.extend(append(content, &all, "fonts", &self.fonts.added().concat()).unwrap_or_default());
            count("fonts", self.fonts.texts.len(), &mut edits);
        }
        let added = self.cell_formats.added();
        if added.is_empty() {
            return Ok(edited(content, edits));
        }
        if let Some(more) = append(content, &all, "cellXfs", &added.concat()) {
            edits.extend(more);
            count("cellXfs", self.cell_formats.texts.len(), &mut edits);
        } else {
            let later = ["cellStyles", "dxfs", "tableStyles", "colors", "extLst"];
            let before = all
                .iter()
                .find(|t| later.iter().any(|l| t.opens(l)) || t.closes("styleSheet"))
                .ok_or_else(damaged)?;
            let whole = format!("<{p}cellXfs count=\"{}\">{}</{p}cellXfs>", added.len(), added.concat());
            edits.push((before.start..before.start, whole));
        }
        Ok(edited(content, edits))
    }
}

/// A cell format with another number format; `None`: with none at all, for comparing.
fn with_number_format(text: &str, id: Option<u32>) -> Result<String> {
    let all = tags("", text.as_bytes())?;
    let Some(tag) = all.first() else { return Ok(text.to_owned()) };
    let wanted = match id {
        Some(id) => [("numFmtId", id.to_string()), ("applyNumberFormat", "1".to_owned())],
        None => [("numFmtId", "0".to_owned()), ("applyNumberFormat", "0".to_owned())],
    };
    let mut edits = Vec::new();
    let end = tag.end - if tag.kind == TagKind::Empty { 2 } else { 1 };
    for (name, value) in wanted {
        match attribute_edit(text.as_bytes(), tag, name, &value) {
            Some(edit) => edits.push(edit),
            None => edits.push((end..end, format!(" {name}=\"{value}\""))),
        }
    }
    Ok(String::from_utf8_lossy(&edited(text.as_bytes(), edits)).into_owned())
}

/// What stands inside an element.
fn content_of(element: &str) -> Result<String> {
    let all = tags("", element.as_bytes())?;
    Ok(match (all.first(), all.last()) {
        (Some(open), Some(close)) if open.kind == TagKind::Open && close.start >= open.end => {
            element[open.end..close.start].to_owned()
        }
        _ => String::new(),
    })
}

/// A font's content without a colour that is spelled wrong: what is faulty is left alone, but not multiplied.
fn without_odd_color(part: &str, font: &str) -> Result<String> {
    let odd = |t: &&Tag<'_>| {
        t.opens("color") && t.kind == TagKind::Empty && t.attribute("rgb").is_some_and(|rgb| rgb.len() != 8)
    };
    Ok(match tags(part, font.as_bytes())?.iter().find(odd) {
        Some(tag) => format!("{}{}", &font[..tag.start], &font[tag.end..]),
        None => font.to_owned(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    const PART: &str = "<styleSheet xmlns=\"m\"><numFmts count=\"1\"><numFmt numFmtId=\"170\" formatCode=\"0.000\"/></numFmts>\
        <fonts count=\"1\"><font><sz val=\"11\"/></font></fonts><cellXfs count=\"3\"><xf numFmtId=\"0\" fontId=\"0\"/>\
        <xf numFmtId=\"170\" fontId=\"0\" applyNumberFormat=\"1\"/><xf numFmtId=\"14\" fontId=\"1\" fillId=\"5\">\
        <protection locked=\"0\"/></xf></cellXfs><dxfs count=\"0\"/></styleSheet>";

    #[test]
    fn formats_are_found_again_or_cloned_with_their_looks() {
        let mut styles = Styles::new();
        let three = styles.number_format("0.000");
        let iso = styles.number_format("yyyy\\-mm\\-dd");
        let mut map = StyleMap::read("styles.xml", PART.as_bytes()).unwrap();
        // There is a plain cell format with that number format.
        assert_eq!(map.resolve(0, &styles, three).unwrap(), 1);
        assert_eq!(map.resolve(1, &styles, three).unwrap(), 1);
        // The looks of the third one are kept.
        assert_eq!(map.resolve(2, &styles, iso).unwrap(), 3);
        assert_eq!(map.resolve(2, &styles, iso).unwrap(), 3);
        assert_eq!(map.resolve(3, &styles, iso).unwrap(), 3);
        assert_eq!(map.resolve(0, &styles, StyleId::default()).unwrap(), 0);
        assert_eq!(map.resolve(2, &styles, StyleId::default()).unwrap(), 2);
        assert_eq!((map.is_plain(1), map.is_plain(2), map.code(2).as_str()), (true, false, "mm-dd-yy"));
        let content = String::from_utf8(map.content().unwrap()).unwrap();
        assert!(content.contains("<cellXfs count=\"4\">"), "{content}");
        assert!(
            content.contains(
                "<xf numFmtId=\"171\" fontId=\"1\" fillId=\"5\" applyNumberFormat=\"1\"><protection locked=\"0\"/></xf></cellXfs>"
            ),
            "{content}"
        );
        // Read again, nothing is added for the same.
        let mut again = StyleMap::read("styles.xml", content.as_bytes()).unwrap();
        assert_eq!(again.resolve(2, &styles, iso).unwrap(), 3);
        assert_eq!(again.content().unwrap(), content.as_bytes());
    }

    #[test]
    fn headings_use_the_workbooks_own_font() {
        let mut map = StyleMap::read("styles.xml", PART.as_bytes()).unwrap();
        let styles = Styles::new();
        assert_eq!(map.resolve(0, &styles, Styles::HEADING).unwrap(), 3);
        let content = String::from_utf8(map.content().unwrap()).unwrap();
        assert!(content.contains("<fonts count=\"2\">"), "{content}");
        assert!(content.contains("<font><b/><sz val=\"11\"/></font></fonts>"), "{content}");
    }
}
