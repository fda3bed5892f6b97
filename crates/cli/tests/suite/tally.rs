//! Control totals, and figures that were expected.

use crate::support::Folder;

const DUES: &str =
    "Berth,Arrived,Dues\n007,2031-03-04,12.50\n012,2031-03-31,-3.25\n007,2031-04-01,\n009,2031-04-02,0\n";

#[test]
fn a_tally_is_taken_in_at_a_glance() {
    let folder = Folder::new().with("dues.csv", DUES);
    let run = folder.run("tally dues.csv --by Arrived/month --expect Dues=9.25 --expect-records 4").expect(0);
    insta::assert_snapshot!(run.out, @r"
    dues.csv   4 records, 3 columns

      column   kind    values  empty  different   sum
      Berth    text         4      0          3
      Arrived  date         4      0          4
      Dues     number       3      1          3  9.25

      column   smallest, first  line  largest, last  line
      Arrived       2031-03-04     2     2031-04-02     5
      Dues               -3.25     3          12.50     2

      note  Berth: 4 values begin with 0
      note  Dues: 1 value below zero, 1 zero

      Arrived/month  records  Dues
      2031-03              2  9.25  ━━━━━━━━━━━━━━━━━━━━
      2031-04              2  0.00  ━━━━━━━━━━━━━━━━━━━━
      all                  4  9.25

      agrees   records: 4, as expected
      agrees   Dues: 9.25, as expected
    ");
}

#[test]
fn what_was_expected_is_compared() {
    let folder = Folder::new().with("dues.csv", DUES);
    for (words, status, expected) in [
        ("--expect Dues=9.25", 0, "agrees   Dues: 9.25, as expected"),
        ("--expect Dues=9.24", 1, "differs  Dues: 9.24 expected, 9.25 found: +0.01"),
        ("--expect Dues=10", 1, "differs  Dues: 10.00 expected, 9.25 found: -0.75"),
        ("--expect-records 5", 1, "differs  records: 5 expected, 4 found: -1"),
        ("--expect Berth=4", 2, "is text, not a number"),
        ("--expect Dues", 2, "it is COLUMN=SUM"),
        ("--expect Dues=x", 2, "the sum is a number"),
        ("--expect Fees=1", 2, "the columns are: Berth, Arrived, Dues"),
        ("--by Berth/month", 2, "is text, not a date"),
        ("--by Wharf", 2, "no column is"),
        ("--by Berth", 0, "007          2  12.50"),
    ] {
        let run = folder.run(&format!("tally dues.csv {words}"));
        assert_eq!(run.status, status, "{words}: {}{}", run.out, run.err);
        assert!(run.out.contains(expected) || run.err.contains(expected), "{words}: {}{}", run.out, run.err);
    }
    let run = folder.run("tally dues.csv --by Berth --json --expect-records 4").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["columns"][2]["sum"], "9.25");
    assert_eq!(json[0]["columns"][2]["smallest"]["line"], 3);
    assert_eq!(json[0]["groups"][0]["name"], "007");
    assert_eq!(json[0]["groups"][0]["sums"][0]["sum"], "12.50");
    assert!(json[0]["checks"][0]["difference"].is_null());
    assert!(folder.run("tally book.xlsx").expect(2).err.contains("incola inspect book.xlsx"));
}
