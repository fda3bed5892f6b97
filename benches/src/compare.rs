//! Runs Incola and the ordinary program in turn on the same file: `compare INCOLA ROWS [RUNS [SHAPE]]`.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;

fn main() -> std::io::Result<()> {
    let args: Vec<String> = std::env::args().collect();
    if args.len() < 3 {
        eprintln!("compare INCOLA ROWS [RUNS [SHAPE]]");
        std::process::exit(2);
    }
    let (incola, rows) = (PathBuf::from(&args[1]), args[2].clone());
    let runs: usize = args.get(3).and_then(|r| r.parse().ok()).unwrap_or(5);
    let own = std::env::current_exe()?;
    let beside = |name: &str| own.with_file_name(name);
    let folder = std::env::temp_dir().join(format!("incola-benches-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let (source, book, other) =
        (folder.join("calls.csv"), folder.join("incola.xlsx"), folder.join("handmade.xlsx"));
    let shape = args.get(4).map_or("calls", String::as_str);
    run(&beside("generate"), &[shape.as_ref(), rows.as_ref(), source.as_os_str()])?;
    let mut times: [Vec<f64>; 3] = Default::default();
    for _ in 0..runs {
        let _ = std::fs::remove_file(&book);
        times[0].push(run(
            &incola,
            &["import".as_ref(), source.as_os_str(), "--into".as_ref(), book.as_os_str()],
        )?);
        times[1].push(run(&incola, &["inspect".as_ref(), source.as_os_str()])?);
        times[2].push(run(&beside("handmade"), &[source.as_os_str(), other.as_os_str()])?);
    }
    let median = |times: &mut Vec<f64>| {
        times.sort_by(f64::total_cmp);
        times[times.len() / 2]
    };
    let [import, inspect, handmade] = times.each_mut().map(median);
    let bytes = |path: &Path| std::fs::metadata(path).map_or(0, |m| m.len()) as f64;
    println!("{shape}, rows {rows}, source {:.1} MB, {runs} runs each, medians", bytes(&source) / 1e6);
    println!("handmade  {handmade:8.3} s   workbook {:.1} MB", bytes(&other) / 1e6);
    println!(
        "import    {import:8.3} s   1/{:.1} of handmade, workbook {:.2} times as large",
        handmade / import,
        bytes(&book) / bytes(&other)
    );
    println!("inspect   {inspect:8.3} s   1/{:.1} of handmade", handmade / inspect);
    std::fs::remove_dir_all(&folder)
}

/// Runs a program to its end; gives the seconds it took.
fn run(program: &Path, args: &[&std::ffi::OsStr]) -> std::io::Result<f64> {
    let started = Instant::now();
    let status = Command::new(program).args(args).stdout(Stdio::null()).status()?;
    // 1: something needs a look.
    if !matches!(status.code(), Some(0 | 1)) {
        return Err(std::io::Error::other(format!("{} ended with {status}", program.display())));
    }
    Ok(started.elapsed().as_secs_f64())
}
