//! Runs Incola and the ordinary program in turn on the same file: `compare INCOLA ROWS [RUNS [SHAPE]]`.

use incola_benches::{Folder, beside, bytes, median, run};
use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let args: Vec<String> = std::env::args().collect();
    if args.len() < 3 {
        eprintln!("compare INCOLA ROWS [RUNS [SHAPE]]");
        std::process::exit(2);
    }
    let (incola, rows) = (PathBuf::from(&args[1]).canonicalize()?, args[2].clone());
    let runs: usize = args.get(3).and_then(|r| r.parse().ok()).unwrap_or(5);
    let folder = Folder::new()?;
    let (source, book, other) =
        (folder.file("calls.csv"), folder.file("incola.xlsx"), folder.file("handmade.xlsx"));
    let shape = args.get(4).map_or("calls", String::as_str);
    run(&beside("generate")?, &[shape.as_ref(), rows.as_ref(), source.as_os_str()], folder.path())?;
    let handmade = beside("handmade")?;
    let mut times: [Vec<f64>; 3] = Default::default();
    for _ in 0..runs {
        let _ = std::fs::remove_file(&book);
        let import = ["import".as_ref(), source.as_os_str(), "--into".as_ref(), book.as_os_str()];
        times[0].push(run(&incola, &import, folder.path())?.seconds);
        times[1].push(run(&incola, &["inspect".as_ref(), source.as_os_str()], folder.path())?.seconds);
        times[2].push(run(&handmade, &[source.as_os_str(), other.as_os_str()], folder.path())?.seconds);
    }
    let [import, inspect, handmade] = times.map(median);
    println!("{shape}, rows {rows}, source {:.1} MB, {runs} runs each, medians", bytes(&source) / 1e6);
    println!("handmade  {handmade:8.3} s   workbook {:.1} MB", bytes(&other) / 1e6);
    println!(
        "import    {import:8.3} s   1/{:.1} of handmade, workbook {:.2} times as large",
        handmade / import,
        bytes(&book) / bytes(&other)
    );
    println!("inspect   {inspect:8.3} s   1/{:.1} of handmade", handmade / inspect);
    Ok(())
}
