//! Writes made-up files of Tolgarth Quay: `generate calls|fixed|labels|wide|notes ROWS OUT`.

use std::fs::File;
use std::io::{BufWriter, Write};

/// A small generator of even numbers: the same files everywhere.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, below: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) % below
    }

    fn pick<'a>(&mut self, list: &[&'a str]) -> &'a str {
        list[self.roll(list.len() as u64) as usize]
    }
}

const VESSELS: [&str; 8] = [
    "Northern Petrel",
    "Grey Heron",
    "Saltwind",
    "Marsh Lantern",
    "Ada Quill",
    "Brindle Tide",
    "Copper Finch",
    "Long Meridian",
];
const CARGO: [&str; 6] =
    ["\"fish, chilled\"", "timber", "bagged cement", "\"machine parts \"\"spares\"\"\"", "grain", "fuel oil"];

fn main() -> std::io::Result<()> {
    let args: Vec<String> = std::env::args().collect();
    let [_, shape, rows, out] = args.as_slice() else {
        eprintln!("generate calls|fixed|labels|wide|notes ROWS OUT");
        std::process::exit(2);
    };
    let rows: u64 = rows.parse().unwrap_or(1000);
    let mut out = BufWriter::new(File::create(out)?);
    let mut dice = Dice(0x2545_F491_4F6C_DD1D);
    match shape.as_str() {
        "wide" => wide(&mut out, &mut dice, rows),
        "fixed" => fixed(&mut out, &mut dice, rows),
        "labels" => labels(&mut out, &mut dice, rows),
        "notes" => notes(&mut out, &mut dice, rows),
        _ => calls(&mut out, &mut dice, rows),
    }
}

fn calls(out: &mut impl Write, dice: &mut Dice, rows: u64) -> std::io::Result<()> {
    writeln!(
        out,
        "Call no,Declaration,Vessel,Station,Berth,Arrived,Departed,Commodity,Cargo,Gross kg,Dues,Paid"
    )?;
    for i in 0..rows {
        let (month, day) = (1 + dice.roll(12), 1 + dice.roll(28));
        writeln!(
            out,
            "{i:08},{}{:010},{},{},{:03},{day:02}/{month:02}/2031,2031-{month:02}-{day:02}T{:02}:{:02}:00,{:08},{},{}.{},{}.{:02},{}",
            1_000_000_000 + dice.roll(9_000_000_000),
            dice.roll(10_000_000_000),
            dice.pick(&VESSELS),
            9_000_000 + dice.roll(999_999),
            1 + dice.roll(39),
            dice.roll(24),
            dice.roll(60),
            dice.roll(99_999_999),
            dice.pick(&CARGO),
            10 + dice.roll(900_000),
            dice.roll(10),
            1 + dice.roll(99_999),
            dice.roll(100),
            dice.pick(&["yes", "no"]),
        )?;
    }
    Ok(())
}

/// The same calls in fixed columns under their names.
fn fixed(out: &mut impl Write, dice: &mut Dice, rows: u64) -> std::io::Result<()> {
    writeln!(
        out,
        "{:<10}{:<12}{:<18}{:<10}{:<7}{:<12}{:>10}{:>10}  Paid",
        "Call no", "Station", "Vessel", "Berth", "Quay", "Arrived", "Gross kg", "Dues"
    )?;
    for i in 0..rows {
        let (month, day) = (1 + dice.roll(12), 1 + dice.roll(28));
        let (kilos, dues) = (10 + dice.roll(900_000), 1 + dice.roll(99_999));
        writeln!(
            out,
            "{i:08}  {:<12}{:<18}B-{:03}     {:03}    {day:02}/{month:02}/2031  {:>10}{:>10}  {}",
            9_000_000 + dice.roll(999_999),
            dice.pick(&VESSELS),
            1 + dice.roll(39),
            1 + dice.roll(39),
            format!("{kilos}.{}", dice.roll(10)),
            format!("{dues}.{:02}", dice.roll(100)),
            dice.pick(&["yes", "no"]),
        )?;
    }
    Ok(())
}

/// The same calls, four lines with labels each.
fn labels(out: &mut impl Write, dice: &mut Dice, rows: u64) -> std::io::Result<()> {
    for i in 0..rows {
        let (month, day) = (1 + dice.roll(12), 1 + dice.roll(28));
        write!(
            out,
            "Call no: {i:08}\nVessel: {}\nArrived: {day:02}/{month:02}/2031\nDues: {}.{:02}\n\n",
            dice.pick(&VESSELS),
            1 + dice.roll(99_999),
            dice.roll(100),
        )?;
    }
    Ok(())
}

fn wide(out: &mut impl Write, dice: &mut Dice, rows: u64) -> std::io::Result<()> {
    let names: Vec<String> = (1..=200).map(|n| format!("Gauge {n}")).collect();
    writeln!(out, "{}", names.join(","))?;
    for _ in 0..rows {
        for n in 0..200 {
            if n > 0 {
                out.write_all(b",")?;
            }
            write!(out, "{}.{:02}", dice.roll(12), dice.roll(100))?;
        }
        writeln!(out)?;
    }
    Ok(())
}

fn notes(out: &mut impl Write, dice: &mut Dice, rows: u64) -> std::io::Result<()> {
    writeln!(out, "Call no,Remarks,Dues")?;
    for i in 0..rows {
        write!(out, "{i:08},\"")?;
        for _ in 0..4 + dice.roll(8) {
            writeln!(
                out,
                "{} lies at berth {:03}, with {}",
                dice.pick(&VESSELS),
                dice.roll(40),
                dice.pick(&["grain", "timber", "\"\"spares\"\""])
            )?;
        }
        writeln!(out, "\",{}.{:02}", dice.roll(9999), dice.roll(100))?;
    }
    Ok(())
}
