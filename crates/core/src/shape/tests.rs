use super::*;
use crate::layout::{LayoutChoices, Repeats, Samples, detect};
use crate::reading::{Choices, LineEnd, conclude};
use crate::record::Machine;
use crate::rows::{Carry, Flow, RecordSink, each_record};
use crate::survey::{Survey, SurveyPlan, survey_block};

const CALLS: &str = concat!(
    "Call,Berth,Master,Arrived,At,Dues,Paid\n",
    "C001,007,\"Quill, Ada\",2031-08-17,09:30:00,120.50,yes\n",
    "C002,012,\"Marsh, Jon\",2031-08-18,10:15:00,80.00,no\n",
    "C003,007,\" Möwe, Eve\",2031-12-31,23:59:59,,yes\n",
    "C004,031,Tern,2032-02-29,,-3.25,\n",
);

/// Columns and blanks of a text as a first look finds them.
fn looked_at(text: &str) -> (Vec<ColumnReading>, crate::layout::Layout) {
    let head = text.as_bytes();
    let layout = detect(Samples { head, ..Samples::default() }, &LayoutChoices::default());
    let plan = SurveyPlan {
        dialect: layout.dialect.value.clone(),
        width: layout.width,
        repeats: Repeats::of(head, &layout),
        line_length: None,
        blank: Blanks::default(),
        unique: Vec::new(),
    };
    let first = text.find('\n').unwrap() + 1;
    let mut survey = Survey::new(&plan, 1);
    let block = survey_block(&plan, &head[first..], true, u64::MAX, Carry::default());
    survey.merge(block, &Carry::default(), &plan.blank);
    let encoding = crate::evidence::Decision::given(crate::encoding::Encoding::Utf8, String::new());
    let reading =
        conclude(encoding, 0, LineEnd::Lf, layout.clone(), &survey, &Choices::default(), head).unwrap();
    (reading.columns, layout)
}

/// Rows as `line:made|made`, left-out ones as `line reason`.
fn shaped(text: &str, choices: &ShapingChoices) -> Result<Vec<String>, BadSetting> {
    struct Told<'m>(Vec<String>, &'m Shaping);
    impl RecordSink for Told<'_> {
        fn record(&mut self, record: &Record<'_>) -> Flow {
            let made: Vec<String> = (0..self.1.columns().len())
                .map(|n| String::from_utf8_lossy(record.field(self.1.base() + n)).into_owned())
                .collect();
            self.0.push(format!("{}:{}", record.line(), made.join("|")));
            Flow::Continue(())
        }
        fn aside(&mut self, why: Aside, line: u64, _: u64) {
            self.0.push(format!("{line} {}", why.words()));
        }
    }
    let (columns, layout) = looked_at(text);
    let values = |column: usize| {
        text.lines()
            .skip(1)
            .map(|line| line.split(',').nth(column).unwrap_or("").as_bytes().to_vec())
            .collect()
    };
    let shaping = Arc::new(Shaping::bind(choices, &columns, &Blanks::default(), values)?);
    let repeats = Repeats::of(text.as_bytes(), &layout).shaping_by(Some(Arc::clone(&shaping)));
    let mut machine = Machine::new(&layout.dialect.value);
    let first = text.find('\n').unwrap() + 1;
    let mut told = Told(Vec::new(), &shaping);
    let start = (2, &mut Carry::default());
    each_record(&mut machine, &text.as_bytes()[first..], true, &repeats, start, &mut told);
    Ok(told.0)
}

fn computed(expression: &str) -> Result<Vec<String>, BadSetting> {
    let choices = ShapingChoices { compute: vec![("X".into(), expression.into())], ..Default::default() };
    let rows = shaped(CALLS, &choices)?;
    Ok(rows.iter().map(|row| row.split_once(':').unwrap().1.to_owned()).collect())
}

#[test]
fn expressions_are_computed_exactly() {
    for (expression, expected) in [
        ("Dues * 1.19", ["143.3950", "95.2000", "", "-3.8675"]),
        ("ROUND(Dues / 3, 2)", ["40.17", "26.67", "", "-1.08"]),
        ("ROUND(Dues)", ["121", "80", "", "-3"]),
        ("-Dues + 0.5", ["-120.00", "-79.50", "", "3.75"]),
        ("Dues / 0", ["", "", "", ""]),
        ("Dues / 7", ["", "", "", ""]),
        ("CAST(Dues / 7 AS DECIMAL(10, 1))", ["17.2", "11.4", "", "-0.5"]),
        ("CAST(Dues AS INTEGER)", ["121", "80", "", "-3"]),
        ("ABS(Dues) + FLOOR(Dues) - CEILING(Dues)", ["119.50", "80.00", "", "2.25"]),
        ("MOD(Dues, 7)", ["1.50", "3.00", "", "-3.25"]),
        ("COALESCE(Dues, 0)", ["120.50", "80.00", "0", "-3.25"]),
        ("NULLIF(Dues, 80)", ["120.50", "", "", "-3.25"]),
        ("Berth || '-' || Call", ["007-C001", "012-C002", "007-C003", "031-C004"]),
        ("UPPER(SUBSTRING(Master FROM 1 FOR 3))", ["QUI", "MAR", "MÖW", "TER"]),
        ("SUBSTRING(Call FROM 3)", ["01", "02", "03", "04"]),
        ("SUBSTRING(Call FROM 0 FOR 2)", ["C", "C", "C", "C"]),
        ("TRIM(LEADING '0' FROM Berth)", ["7", "12", "7", "31"]),
        ("CHAR_LENGTH(Master)", ["10", "10", "9", "4"]),
        ("POSITION(',' IN Master)", ["6", "6", "5", "0"]),
        ("CAST(Berth AS DECIMAL) + 1", ["8", "13", "8", "32"]),
        ("CAST(Master AS DECIMAL)", ["", "", "", ""]),
        ("CAST(Dues AS VARCHAR) || '!'", ["120.50!", "80.00!", "", "-3.25!"]),
        ("Arrived + INTERVAL '1' DAY", ["2031-08-18", "2031-08-19", "2032-01-01", "2032-03-01"]),
        ("Arrived - DATE '2031-08-01'", ["16", "17", "152", "212"]),
        (
            "EXTRACT(YEAR FROM Arrived) * 100 + EXTRACT(MONTH FROM Arrived)",
            ["203108", "203108", "203112", "203202"],
        ),
        ("EXTRACT(WEEK FROM Arrived)", ["33", "34", "1", "9"]),
        ("EXTRACT(QUARTER FROM Arrived)", ["3", "3", "4", "1"]),
        ("EXTRACT(HOUR FROM At)", ["9", "10", "23", ""]),
        (
            "CAST(Arrived AS TIMESTAMP) + INTERVAL '1' WEEK",
            ["2031-08-24 00:00:00", "2031-08-25 00:00:00", "2032-01-07 00:00:00", "2032-03-07 00:00:00"],
        ),
        (
            "CASE WHEN Dues > 100 THEN 'high' WHEN Dues IS NULL THEN 'none' ELSE 'low' END",
            ["high", "low", "none", "low"],
        ),
        ("CASE Berth WHEN '007' THEN 1 ELSE 2 END", ["1", "2", "1", "2"]),
        ("Dues > 80 OR Berth = '012'", ["true", "true", "", "false"]),
        ("Paid = 'yes'", ["true", "false", "true", ""]),
        ("NOT Paid = 'yes' AND Dues = 80.0", ["false", "true", "false", "false"]),
    ] {
        assert_eq!(computed(expression).unwrap(), expected, "{expression}");
    }
}

#[test]
fn conditions_leave_out_what_they_do_not_meet_and_what_is_unknown() {
    for (condition, kept, unknown) in [
        ("Berth = '007'", &[2, 4][..], 0),
        ("Berth <> '007'", &[3, 5], 0),
        ("Dues >= 80", &[2, 3], 1),
        ("NOT (Dues < 80)", &[2, 3], 1),
        ("Dues IS NULL OR Dues < 0", &[4, 5], 0),
        ("(Dues > 0) IS UNKNOWN", &[4], 0),
        ("Berth IN ('007', '031') AND Paid = 'yes'", &[2, 4], 1),
        ("Berth NOT IN ('007')", &[3, 5], 0),
        ("Arrived BETWEEN DATE '2031-08-18' AND DATE '2031-12-31'", &[3, 4], 0),
        ("Arrived > TIMESTAMP '2031-12-31 10:00:00'", &[5], 0),
        ("At < TIME '10:00:00'", &[2], 1),
        ("Master LIKE '%, _on' ", &[3], 0),
        ("Master NOT LIKE '%!,%' ESCAPE '!'", &[5], 0),
        ("\"Call\" = 'C001' OR FALSE", &[2], 0),
        ("NULL", &[], 4),
        ("Dues / 3 > 1", &[], 4),
    ] {
        let choices = ShapingChoices { condition: Some(condition.into()), ..Default::default() };
        let told = shaped(CALLS, &choices).unwrap();
        let rows: Vec<u64> = told.iter().filter_map(|row| row.split_once(':')?.0.parse().ok()).collect();
        let not_known = told.iter().filter(|row| row.contains("unknown")).count();
        assert_eq!((rows.as_slice(), not_known), (kept, unknown), "{condition}");
    }
}

#[test]
fn mistakes_are_told_with_their_place_before_a_record_is_read() {
    let long = format!("Dues > {}", "1 + ".repeat(5000));
    let deep = format!("{}Dues{} > 1", "(".repeat(500), ")".repeat(500));
    let wide = vec!["Dues > 1"; 400].join(" OR ");
    for (condition, why, hint) in [
        (
            "Berht = '007'",
            "no column is \u{201c}Berht\u{201d}; is Berth meant?\n  Berht = '007'\n  ^",
            "single quotes",
        ),
        (
            "Dues > 1 AND Berth = 7",
            "\u{201c}Berth\u{201d} is text, \u{201c}7\u{201d} is a number: they are not compared\n  Dues > 1 AND Berth = 7\n               ^",
            "Berth = '7'",
        ),
        ("Arrived = '2031-08-17'", "is a date", "DATE '2031-08-17'"),
        ("Dues", "it is a number, not a condition", "a condition compares"),
        ("Dues >", "not understood: expected: an expression, found: its end", ""),
        ("Dues > 1 x", "goes on with \u{201c}x\u{201d}", ""),
        ("Dues || 'a' = 'b'", "|| takes text, but \u{201c}Dues\u{201d} is a number", "CAST(Dues AS VARCHAR)"),
        ("UPER(Berth) = 'A'", "no function UPER; is UPPER meant?", ""),
        ("SUM(Dues) > 3", "SUM is of many records", ""),
        ("EXISTS (SELECT 1)", "not among what conditions", ""),
        ("Arrived > 3 + Arrived", "", ""),
        ("Arrived + 3 > DATE '2031-01-01'", "days are added to a date as an interval", "INTERVAL '14' DAY"),
        ("Dues > 12345678901234567890123456789012", "at most 28 digits", ""),
        (
            "CASE WHEN Dues > 1 THEN 1 ELSE 'a' END = 1",
            "CASE gives a number in one place and text in another",
            "",
        ),
        ("DATE '2031-02-30' = Arrived", "is not a date", ""),
        (long.as_str(), "more than 10000 characters", ""),
        (deep.as_str(), "nested too deeply", ""),
        (wide.as_str(), "nested too deeply", ""),
    ] {
        let choices = ShapingChoices { condition: Some(condition.into()), ..Default::default() };
        let bad = shaped(CALLS, &choices).unwrap_err();
        assert!(bad.why.contains(why), "{condition:.80}: {}", bad.why);
        assert!(bad.hint.clone().unwrap_or_default().contains(hint), "{condition:.80}: {bad:?}");
        assert_eq!(bad.key, "where");
    }
    for (choices, key, why) in [
        (
            ShapingChoices { compute: vec![("Dues".into(), "1".into())], ..Default::default() },
            "compute",
            "there is a column",
        ),
        (
            ShapingChoices { distinct: Some(vec![Selector::new("Cal")]), ..Default::default() },
            "distinct",
            "is \u{201c}Call\u{201d} meant?",
        ),
        (
            ShapingChoices { divide: vec![DivideChoice::read("Mester=,").unwrap()], ..Default::default() },
            "divide",
            "is \u{201c}Master\u{201d} meant?",
        ),
        (
            ShapingChoices {
                divide: vec![DivideChoice::read("Master=pattern:(?P<Dues>.)").unwrap()],
                ..Default::default()
            },
            "divide",
            "there is a column \u{201c}Dues\u{201d} already",
        ),
    ] {
        let bad = shaped(CALLS, &choices).unwrap_err();
        assert_eq!(bad.key, key);
        assert!(bad.why.contains(why), "{bad:?}");
    }
}

#[test]
fn columns_are_divided_before_conditions_see_them() {
    let choices = ShapingChoices {
        divide: vec![DivideChoice::read("Master=pattern:^(?<Last>[^,]*)(?:, (?<First>.*))?$").unwrap()],
        condition: Some("First IS NOT NULL".into()),
        compute: vec![("Name".into(), "First || ' ' || Last".into())],
        ..Default::default()
    };
    assert_eq!(
        shaped(CALLS, &choices).unwrap(),
        [
            "2:Quill|Ada|Ada Quill",
            "3:Marsh|Jon|Jon Marsh",
            "4:Möwe|Eve|Eve Möwe",
            "5 does not meet the condition",
        ]
    );
}

#[test]
fn the_examples_of_the_page_are_right() {
    let page = include_str!("../../../../docs/expressions.md");
    let table = page.split("| expression | value |").nth(1).unwrap();
    let mut count = 0;
    for line in table.lines().skip(2).take_while(|line| line.starts_with('|')) {
        let mut cells = line.replace("\\|", "\u{1}").replace('|', "\n").replace('\u{1}', "|");
        cells = cells.trim().to_owned();
        let (expression, value) = cells.split_once('\n').unwrap();
        let bare = |text: &str| text.trim().trim_matches('`').to_owned();
        assert_eq!(computed(&bare(expression)).unwrap()[0], bare(value), "{line}");
        count += 1;
    }
    assert!(count >= 12);
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig { cases: 200, failure_persistence: None, ..Default::default() })]

    /// Whatever is typed is understood or refused; what is understood has a value, or says why not, for every record.
    #[test]
    fn any_words_are_understood_or_refused(words in proptest::collection::vec(proptest::sample::select(vec![
        "Dues", "Berth", "Call", "Arrived", "At", "\"Paid\"", "'007'", "12.5", "0", "-", "+", "*", "/", "%", "||", "(", ")", ",",
        "=", "<>", "<", "AND", "OR", "NOT", "IS", "NULL", "IN", "BETWEEN", "LIKE", "ESCAPE '!'", "CASE", "WHEN", "THEN", "ELSE", "END",
        "CAST(", "AS", "DECIMAL(5, 2)", "VARCHAR", "DATE", "DATE '2031-12-31'", "INTERVAL '9999999' DAY", "ROUND(", "SUBSTRING(", "FROM",
        "FOR", "TRIM(", "UPPER(", "COALESCE(", "EXTRACT(YEAR", "POSITION(", "MOD(", "99999999999999999999999999", "\u{e9}", "'", "\u{0}",
    ]), 1..14)) {
        let text = words.join(" ");
        for choices in [
            ShapingChoices { compute: vec![("X".into(), text.clone())], ..Default::default() },
            ShapingChoices { condition: Some(text.clone()), ..Default::default() },
            ShapingChoices { by: vec![GroupChoice::read("Berth")], take: Some(text.clone()), ..Default::default() },
        ] {
            if let Ok(rows) = shaped(CALLS, &choices) {
                proptest::prop_assert_eq!(rows.len(), 4, "{}", text);
            }
        }
    }
}
