//! What mutations begin with: the demo's files, and parts of its workbooks.

use incola_workbook::package::zip_reader::ZipReader;
use std::io::Cursor;

macro_rules! demo {
    ($($name:literal),* $(,)?) => { [$(include_bytes!(concat!("../../../../cli/demo/", $name)).as_slice()),*] };
}

const BOOKS: [&[u8]; 2] = demo!["ledger.xlsx", "pallet-form.xlsx"];

fn texts() -> Vec<Vec<u8>> {
    let files: [&[u8]; 12] = demo![
        "agents-852.txt",
        "dues-extract.fix",
        "harbour-dues.txt",
        "manifest.txt",
        "moorings.csv",
        "pallets.dat",
        "pilot-orders.txt",
        "pilotage.rpt",
        "port-calls.csv",
        "radio-log.tsv",
        "tide-gauge.log",
        "weighbridge.lst",
    ];
    // The first lines are as good as all of them, and sooner read.
    files.iter().map(|file| file[..file.len().min(1500)].to_vec()).collect()
}

const DOCKET: &str = "docket = 1\n[match]\nfiles = [\"dues*.txt\"]\n[read]\nencoding = \"UTF-8\"\nlayout = \"delimited\"\ndelimiter = \",\"\nquote = \"\\\"\"\n\
header = 1\n[place]\nsheet = \"{stem}\"\nmode = \"append\"\n[[column]]\nname = \"Berth\"\nas = \"text\"\n[[column]]\nname = \"Dues\"\nas = \"number\"\nformat = \"1.234,50\"\n";

const WORDS: [&str; 12] = [
    "Berth=text",
    "2-4=date:dd.MM.yyyy HH:mm",
    "\"Gross kg\"=number:1,234.50",
    "*=skip",
    "-1=text",
    "Call, Berth, \"Gross kg\"",
    "yyyy-MM-dd'T'HH:mm:ss",
    "d. MMMM yyyy",
    "h:mm:ss a",
    "port-*.csv\u{2}port-calls.csv",
    "(1 234,50) CR",
    "'A', \"B \\\" C\"",
];

const FIELDS: &str = "007\n1,234.50\n1.234,50-\n(12.5)\n31.12.2031\n2031-03-01T12:50:00+01:00\n12/31/31 1:05 pm\n1 MAR 2031\n5e3\n\u{2212}4\n12 %\n\
EUR 9,99\n20310301\n99991231235959\n0\n-0\n00.00\nTRUE\n1 234 567,8 DR\n";

const FORMULAS: [&str; 10] = [
    "SUM(A2:A4)+$B$1*C5",
    "'Other sheet'!A1:B9",
    "IF(D5>=10%,\"A1\",[1]Sheet1!$C$2)",
    "calls[[#This Row],[Dues]]*2",
    "A:C",
    "3:7",
    "SUM(calls!C2:C9)",
    "LOG10(A5)&\"\"\"x\"",
    "#REF!+A1048576",
    "$A$1:$XFD$1048576",
];

/// The seeds of a target.
pub fn seeds(target: &str) -> Vec<Vec<u8>> {
    let words = |words: &[&str]| words.iter().map(|word| word.as_bytes().to_vec()).collect();
    match target {
        // The first byte says what is stated: nothing.
        "text" => texts().into_iter().map(|text| [&[0], &text[..]].concat()).collect(),
        "encodings" => texts(),
        "docket" => words(&[DOCKET]),
        "selectors" => words(&WORDS),
        "values" => words(&[FIELDS]),
        "formulas" => words(&FORMULAS),
        "directory" => BOOKS.iter().map(|book| book.to_vec()).collect(),
        "sheet" => parts(|name| name.starts_with("xl/worksheets/sheet")),
        "styles" => parts(|name| name == "xl/styles.xml"),
        "custom" => vec![b"<quay xmlns=\"urn:quay\"><link version=\"1\">calls</link></quay>".to_vec()],
        _ => {
            let wanted = [
                "xl/workbook.xml",
                "xl/_rels/workbook.xml.rels",
                "[Content_Types].xml",
                "xl/tables/table1.xml",
            ];
            let parts = (0..).zip(wanted).flat_map(|(n, wanted)| {
                parts(|name| name == wanted).into_iter().map(move |part| [&[n], &part[..]].concat())
            });
            parts.collect()
        }
    }
}

/// The parts of the demo's workbooks whose names are wanted.
fn parts(wanted: impl Fn(&str) -> bool) -> Vec<Vec<u8>> {
    let mut found = Vec::new();
    for book in BOOKS {
        let mut zip = ZipReader::open(Cursor::new(book)).expect("the demo's workbooks are sound");
        for place in 0..zip.entries().len() {
            if wanted(&zip.entries()[place].name) {
                found.push(zip.read(place, 1 << 20).expect("the demo's workbooks are sound"));
            }
        }
    }
    found
}
