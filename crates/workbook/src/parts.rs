//! The small parts of a package: content types, relationships, workbook, tables and document properties.

use crate::family::Family;
use crate::reference::Range;
use crate::sheet::TotalOf;
use crate::xml;
use std::fmt::Write as _;

/// What each part begins with.
pub(crate) const DECLARATION: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n";
const MAIN: &str = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
const RELATIONSHIPS: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
const PACKAGE: &str = "http://schemas.openxmlformats.org/package/2006";

/// `[Content_Types].xml` for so many sheets, tables and custom XML parts.
pub(crate) fn content_types(sheets: usize, tables: usize, customs: usize) -> String {
    let mut out = format!(
        "{DECLARATION}<Types xmlns=\"{PACKAGE}/content-types\">\
         <Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>\
         <Default Extension=\"xml\" ContentType=\"application/xml\"/>"
    );
    let sheet = "application/vnd.openxmlformats-officedocument.spreadsheetml";
    let mut part = |name: &str, kind: &str| {
        let _ = write!(out, "<Override PartName=\"{name}\" ContentType=\"{kind}\"/>");
    };
    part("/xl/workbook.xml", &format!("{sheet}.sheet.main+xml"));
    for n in 1..=sheets {
        part(&format!("/xl/worksheets/sheet{n}.xml"), &format!("{sheet}.worksheet+xml"));
    }
    for n in 1..=tables {
        part(&format!("/xl/tables/table{n}.xml"), &format!("{sheet}.table+xml"));
    }
    part("/xl/styles.xml", &format!("{sheet}.styles+xml"));
    for n in 1..=customs {
        part(&format!("/customXml/item{n}.xml"), crate::custom_xml::CUSTOM);
        part(&format!("/customXml/itemProps{n}.xml"), crate::custom_xml::PROPERTIES);
    }
    part("/docProps/core.xml", "application/vnd.openxmlformats-package.core-properties+xml");
    part("/docProps/app.xml", "application/vnd.openxmlformats-officedocument.extended-properties+xml");
    out.push_str("</Types>");
    out
}

/// A relationships part: each entry has the last part of its type and its target.
pub(crate) fn relationships(entries: &[(&str, String)]) -> String {
    relationships_of(Family::Transitional, entries)
}

/// The same in a family of namespaces.
pub(crate) fn relationships_of(family: Family, entries: &[(&str, String)]) -> String {
    let mut out = format!("{DECLARATION}<Relationships xmlns=\"{PACKAGE}/relationships\">");
    for (n, (kind, target)) in entries.iter().enumerate() {
        let family = if *kind == "core-properties" {
            format!("{PACKAGE}/relationships/metadata/{kind}")
        } else {
            format!("{}/{kind}", family.relationships())
        };
        let _ = write!(
            out,
            "<Relationship Id=\"rId{}\" Type=\"{family}\" Target=\"{}\"/>",
            n + 1,
            xml::escaped(target)
        );
    }
    out.push_str("</Relationships>");
    out
}

/// The relationships of the package itself.
pub(crate) fn package_relationships() -> String {
    relationships(&[
        ("officeDocument", "xl/workbook.xml".into()),
        ("core-properties", "docProps/core.xml".into()),
        ("extended-properties", "docProps/app.xml".into()),
    ])
}

/// The workbook part.
pub(crate) fn workbook(sheet_names: &[String], hidden_names: &[(String, String)]) -> String {
    let mut out = format!(
        "{DECLARATION}<workbook xmlns=\"{MAIN}\" xmlns:r=\"{RELATIONSHIPS}\">\
         <bookViews><workbookView/></bookViews><sheets>"
    );
    for (n, name) in sheet_names.iter().enumerate() {
        let n = n + 1;
        let _ = write!(out, "<sheet name=\"{}\" sheetId=\"{n}\" r:id=\"rId{n}\"/>", xml::escaped(name));
    }
    out.push_str("</sheets>");
    if !hidden_names.is_empty() {
        out.push_str("<definedNames>");
        for (name, refers_to) in hidden_names {
            out.push_str(&hidden_name("", name, refers_to));
        }
        out.push_str("</definedNames>");
    }
    out.push_str("</workbook>");
    out
}

/// A name that programs do not list. `prefix`: that of the part's elements.
pub(crate) fn hidden_name(prefix: &str, name: &str, refers_to: &str) -> String {
    format!(
        "<{prefix}definedName name=\"{name}\" hidden=\"1\">{}</{prefix}definedName>",
        xml::escaped(refers_to)
    )
}

/// The name of a table's column, as the part has it.
pub(crate) fn column_name(name: &str) -> String {
    xml::escaped(name).replace('\n', "_x000a_").replace('\t', "_x0009_")
}

/// A table part. `range` includes the header; names are unique and not empty.
pub(crate) fn table(
    id: u32,
    name: &str,
    (range, totals): (Range, &[TotalOf]),
    columns: &[String],
    family: Family,
) -> String {
    let mut whole = range;
    whole.to.row += u32::from(!totals.is_empty());
    let shown = if totals.is_empty() { "totalsRowShown=\"0\"" } else { "totalsRowCount=\"1\"" };
    let mut out = format!(
        "{DECLARATION}<table xmlns=\"{2}\" id=\"{id}\" name=\"{0}\" displayName=\"{0}\" ref=\"{whole}\" \
         {shown}><autoFilter ref=\"{range}\"/><tableColumns count=\"{1}\">",
        xml::escaped(name),
        columns.len(),
        family.main()
    );
    for (n, column) in columns.iter().enumerate() {
        let total = totals.get(n).map(TotalOf::attributes).unwrap_or_default();
        let _ = write!(out, "<tableColumn id=\"{}\" name=\"{}\"{total}/>", n + 1, column_name(column));
    }
    out.push_str(
        "</tableColumns><tableStyleInfo name=\"TableStyleLight1\" showFirstColumn=\"0\" \
                  showLastColumn=\"0\" showRowStripes=\"1\" showColumnStripes=\"0\"/></table>",
    );
    out
}

/// The core properties part. `created` is a date and time as W3CDTF has it, such as `2031-08-17T09:30:00Z`.
pub(crate) fn core_properties(title: &str, created: &str) -> String {
    format!(
        "{DECLARATION}<cp:coreProperties xmlns:cp=\"{PACKAGE}/metadata/core-properties\" \
         xmlns:dc=\"http://purl.org/dc/elements/1.1/\" xmlns:dcterms=\"http://purl.org/dc/terms/\" \
         xmlns:xsi=\"http://www.w3.org/2001/XMLSchema-instance\"><dc:title>{}</dc:title>\
         <dc:creator>Incola</dc:creator><dcterms:created xsi:type=\"dcterms:W3CDTF\">{created}</dcterms:created>\
         <dcterms:modified xsi:type=\"dcterms:W3CDTF\">{created}</dcterms:modified></cp:coreProperties>",
        xml::escaped(title)
    )
}

/// The extended properties part.
pub(crate) fn app_properties() -> String {
    format!(
        "{DECLARATION}<Properties xmlns=\"http://schemas.openxmlformats.org/officeDocument/2006/extended-properties\">\
         <Application>Incola</Application></Properties>"
    )
}
