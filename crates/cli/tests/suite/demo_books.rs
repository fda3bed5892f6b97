//! The demo's workbooks are made of the parts in `demo/books`, and of nothing else.

use incola_workbook::package::zip_reader::ZipReader;
use incola_workbook::package::zip_writer::ZipWriter;
use std::io::Cursor;
use std::path::{Path, PathBuf};

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/demo");

/// All files in a folder and those below it, in order.
fn files(folder: &Path) -> Vec<PathBuf> {
    let mut all = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { all.extend(files(&path)) } else { all.push(path) }
    }
    all.sort();
    all
}

/// Packs the parts in a folder; the two that have names of their own come first.
fn packed(folder: &Path) -> Vec<u8> {
    let mut parts: Vec<(String, PathBuf)> = files(folder)
        .into_iter()
        .map(|path| {
            let name = path.strip_prefix(folder).unwrap().display().to_string().replace('\\', "/");
            let name = match name.as_str() {
                "content-types.xml" => "[Content_Types].xml".to_owned(),
                "_rels/package.rels" => "_rels/.rels".to_owned(),
                _ => name,
            };
            (name, path)
        })
        .collect();
    parts.sort_by_key(|(name, _)| (name != "[Content_Types].xml", name != "_rels/.rels", name.clone()));
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, path) in parts {
        writer.entry(&name, std::fs::read_to_string(path).unwrap().trim_end().as_bytes()).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

#[test]
fn the_demos_workbooks_are_made_of_their_parts() {
    for name in ["ledger", "pallet-form"] {
        let book = Path::new(DEMO).join(name).with_extension("xlsx");
        let made = packed(&Path::new(DEMO).join("books").join(name));
        if std::env::var_os("INCOLA_WRITE_BOOKS").is_some() {
            std::fs::write(&book, &made).unwrap();
        }
        assert!(std::fs::read(&book).unwrap() == made, "{name}: made again with INCOLA_WRITE_BOOKS=1");
    }
}

#[test]
fn no_workbook_in_the_tree_names_a_program() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let books: Vec<PathBuf> =
        files(crates).into_iter().filter(|path| path.extension().is_some_and(|e| e == "xlsx")).collect();
    assert!(books.len() >= 2, "{books:?}");
    for book in books {
        let mut zip = ZipReader::open(Box::new(std::fs::File::open(&book).unwrap())).unwrap();
        for n in 0..zip.entries().len() {
            let name = zip.entries()[n].name.clone();
            let text = String::from_utf8(zip.read(n, 1 << 20).unwrap()).unwrap();
            let at = format!("{} {name}", book.display());
            // A theme and the properties of a program come from programs.
            assert!(!name.contains("theme") && !name.ends_with("app.xml"), "{at}");
            assert!(!text.contains("Application"), "{at}");
            if name.ends_with("styles.xml") {
                for font in text.split("<name val=\"").skip(1) {
                    let font = font.split('"').next().unwrap();
                    assert!(["Arial", "Courier New"].contains(&font), "{at}: {font}");
                }
            }
        }
    }
}
