use super::*;
use crate::record::Machine;
use crate::rows::{Carry, Each, Flow, Record, each_record};

fn detected(head: &str) -> Layout {
    detect(Samples { head: head.as_bytes(), ..Samples::default() }, &LayoutChoices::default())
}

fn delimiter(layout: &Layout) -> String {
    delimiter_word(&layout.dialect.value.delimiter)
}

#[test]
fn delimiters_are_found_where_tempting_rivals_are_wrong() {
    for (head, expected, width) in [
        // Decimal commas, one in each line, divide as evenly as the semicolons.
        ("Berth;Dues\n007;1,5\n012;2,5\n031;3,5\n", "semicolon", 2),
        ("call,arrived\n1,2031-08-17 09:30:00\n2,2031-08-17 10:30:00\n", "comma", 2),
        ("a|b, c|d\ne|f, g|h\ni|j, k|l\n", "pipe", 3),
        ("007^Saltwind^12\n008^Grey Heron^13\n", "caret", 3),
        ("7~~Saltwind~~x\n8~~Grey Heron~~y\n9~~Marsh Lantern~~z\n", "“~~”", 3),
        ("a\tb c\td\ne\tf g\th\n", "tab", 3),
        (
            "Saltwind lies at berth 7, and waits.\nGrey Heron left.\nNobody, it is said, saw her, or him.\n",
            "“”",
            1,
        ),
        ("Vessel: Saltwind\nBerth: 007\nMaster: A. Quill\n", "“”", 1),
        ("12.5\n13.25\n14\n", "“”", 1),
        ("2 6 1\n2 6 0\n3 7 1\n9 9 9\n", "space", 3),
    ] {
        let layout = detected(head);
        assert_eq!((delimiter(&layout).as_str(), layout.width), (expected, width), "{head}");
    }
}

#[test]
fn marks_that_divide_each_line_alike_beat_whole_lines_and_weaker_ones() {
    let ships = ["Saltwind", "Grey Heron", "Tern", "Anselm", "Marsh Lantern"];
    let lines =
        |line: &dyn Fn(usize, &str) -> String| (0..24).map(|i| line(i, ships[i % 5]) + "\n").collect();
    let amount = |i: usize| format!("{}.{:02}", i * 37 % 41, i * 53 % 89 + 10);
    let event = |i: usize, ship: &str| {
        format!("2031-01-{:02}T10:00:00Z\t{{\"ship\":\"{ship}\",\"n\":{i}}}", i % 28 + 1)
    };
    let cases: [(String, &str, usize); 9] = [
        (lines(&|i, ship| format!("{ship}|~|{}", ["m", "kg"][i % 2])), "“|~|”", 2),
        (format!("at\tevent\n{}", lines(&event)), "tab", 2),
        (lines(&|i, ship| format!("{}#{ship}#2031-07-{:02}", amount(i), i + 1)), "“#”", 3),
        // Decimal commas come once a record, and colons that stand in no time three times.
        (lines(&|i, ship| format!("{ship}:-{i},{}:S:{}/{}", i * 3571 % 9000 + 999, i * 7 % 80, i)), "colon", 4),
        (
            lines(&|i, ship| format!("{:03}/{ship}/{}/{}", i * 7, ["Skerry Bay", "Vik", "Ness Point"][i % 3], i % 9)),
            "“/”",
            4,
        ),
        // Times are values.
        (lines(&|i, ship| format!("{:02}:{:02}:{:02} {ship} waits", i, i * 7 % 60, i * 11 % 60)), "“”", 2),
        // Dots lead from a name to its price.
        (lines(&|i, ship| format!("{:.<28}{:.>8}", format!("{ship} {}", i * 7), amount(i))), "“...”", 2),
        // Quotes that all close where fields do, whatever is between them.
        (lines(&|i, ship| format!("{i};\"<a href=\"\"x?a=1;b={i}\"\">{ship}</a>\"")), "semicolon", 2),
        // A comma of prose.
        (
            "Dear Ada,\n\nthank you for your letter. We looked at the crane, and it works again.\nThe rope comes in March; \
             until then, use the small one.\n\nKind regards,\nJon Quill\n"
                .into(),
            "“”",
            1,
        ),
    ];
    for (head, expected, width) in cases {
        let layout = detected(&head);
        assert_eq!((delimiter(&layout).as_str(), layout.width), (expected, width), "{head}");
    }
}

#[test]
fn backslashes_before_quotes_are_found_where_all_quotes_close_then() {
    for (head, doubles, value) in [
        ("no,said\n1,\"he said \\\"go\\\", and left\"\n2,\"a \\\\ b\"\n", false, r#"he said "go", and left"#),
        // A path may end with one.
        ("no,said\n1,\"C:\\quay\\\"\n2,\"D:\\\"\n", true, r"C:\quay\"),
        ("no,said\n1,\"he said \"\"go\"\"\"\n2,\"x\"\n", true, r#"he said "go""#),
    ] {
        let layout = detected(head);
        let dialect = &layout.dialect.value;
        assert_eq!((layout.width, dialect.doubles_quotes), (2, doubles), "{head}");
        let mut machine = Machine::new(dialect);
        let start = head.find('\n').unwrap() + 1;
        machine.step(head.as_bytes(), start, true);
        assert_eq!(machine.field(head.as_bytes(), 1), value.as_bytes(), "{head}");
    }
}

#[test]
fn names_that_come_back_and_closing_lines_are_no_records() {
    let rows = |n: usize| -> String {
        (0..12)
            .map(|i| format!("{}{:02};{}\n", ['K', 'M', 'Y'][i % 3], n * 12 + i, ["new", "done", ""][i % 3]))
            .collect()
    };
    // The names of every page must not speak for themselves.
    let head: String = (0..6).map(|n| format!("Room;State\n{}", rows(n))).collect();
    assert_eq!(detected(&head).header_line, Some(1));
    // Records that come back are records.
    let same: String = (0..6).map(|_| "Room 7;new\nHall;done\nYard;\n").collect();
    assert_eq!(detected(&same).header_line, None);
    let booked: String = (1..25)
        .map(|i| {
            format!("{i:02}.01.2031;Invoice {i};Quill;{}{i}0,50;EUR\n", if i % 2 == 0 { "-" } else { "" })
        })
        .collect();
    let head = format!("Booked;Text;Payee;Amount;Currency\n{booked}\nClosing balance;;;9.120,00;EUR\n");
    let layout = detected(&head);
    assert_eq!(layout.footer.set_aside.iter().map(|aside| aside.line).collect::<Vec<_>>(), [27]);
}

#[test]
fn flags_labels_and_tabs_around_marks_are_what_they_are() {
    let rows = |flag: &dyn Fn(usize) -> &'static str| -> String {
        (1..15).map(|i| format!("{}\t\t{:02}.03.2031\t{}.5\tKG\n", flag(i), i, i * 37 % 90)).collect()
    };
    // A star that is a field is no comment.
    let head =
        format!("Postings\nflag\tnote\ttaken\tlow\tunit\n{}", rows(&|i| if i % 3 == 0 { "*" } else { "" }));
    let layout = detected(&head);
    assert_eq!((layout.header_line, &layout.dialect.value.comment_prefix), (Some(2), &None));
    // A label and its value above records without names are no names.
    let head = format!("Printed by\tQuill\n{}", rows(&|_| "A"));
    assert_eq!(detected(&head).header_line, None);
    let marked: String = (1..15).map(|i| format!("\"{i:03}\"\t|\t\t|\t\"{i}.25\"\n")).collect();
    assert_eq!(
        detected(&format!("\"no\"\t|\t\"state\"\t|\t\"dues\"\n{marked}")).dialect.value.delimiter,
        b"\t|\t"
    );
    // A word without digits above values that all have some.
    let streets = ["Pier", "Lock", "Quay"];
    let rows: String =
        (1..20).map(|i| format!("{} road {}|{}\n", streets[i % 3], i * 7, ["done", "new"][i % 2])).collect();
    assert_eq!(detected(&format!("Place|State\n{rows}")).header_line, Some(1));
}

#[test]
fn a_name_of_two_words_does_not_cut_its_dates() {
    let ships = ["Ada Rowe", "Jon Quill", "Mara Tern", "Odd Skerry"];
    let ports = ["Holm", "Brae Head", "Vik"];
    let row = |i: usize| {
        format!("{:<14}  {:<13}  {:>5}  {i:02} Jan 2031\n", ships[i % 4], ports[i % 3], i * 31 % 97)
    };
    let rows: String = (1..30).map(row).collect();
    let layout = detected(&format!("Pilot           Port           Ships  Last call\n{rows}"));
    assert_eq!(layout.names, ["Pilot", "Port", "Ships", "Last call"]);
}

#[test]
fn columns_that_hold_several_values_are_doubtful() {
    let blocks = |first: &dyn Fn(usize) -> String| -> String {
        (1..20)
            .map(|i| {
                format!("{}\n{:>8}.50   2031-08-{i:02}\nx{i}@quay.example\n\n", first(i), i * 731 % 9000)
            })
            .collect()
    };
    let several = |head: &str| match detected(head).doubt {
        Some(LayoutDoubt::SeveralValues(column, _)) => Some(column),
        _ => None,
    };
    for (head, expected) in [
        (
            blocks(&|i| format!("{:02}-{:02} {} {},{}", i * 7 % 40, i * 3 % 20, i % 4, i * 13 % 400, i % 10)),
            Some(1),
        ),
        (
            blocks(&|i| {
                format!(
                    "+47 {:02} {:02} {:02} {:02}",
                    i * 7 % 90 + 10,
                    i * 3 % 90 + 10,
                    i + 20,
                    i * 11 % 90 + 10
                )
            }),
            None,
        ),
        (blocks(&|i| format!("{} Quay Street", i * 7)), None),
    ] {
        assert_eq!(several(&head), expected, "{head}");
    }
}

#[test]
fn one_value_a_line_comes_in_turns_however_alike_the_lines_are() {
    let record = |i: usize| {
        let phone =
            format!("0{} {:02} {:02} {:02}", i % 9, i * 17 % 90 + 10, i * 29 % 90 + 10, i * 37 % 90 + 10);
        format!(
            "{:02}-{:02}\nQuill {i}\n{}\n{},{}\n203108{:02}\n{phone}\n",
            i % 40,
            i * 3 % 20,
            i % 7,
            i * 31 % 400,
            i % 10,
            i % 28 + 1
        )
    };
    let layout = detected(&(1..40).map(record).collect::<String>());
    assert_eq!((layout.dialect.value.division.lines_per_record(), layout.width), (6, 6));
}

#[test]
fn headers_are_told_from_records() {
    for (head, line) in [
        ("Berth,Dues\n007,12.5\n012,3\n", Some(1)),
        ("007,12.5\n012,3\n", None),
        ("Vessel,Flag\nSaltwind,NL\nGrey Heron,DK\n", Some(1)),
        ("Saltwind,NL\nGrey Heron,DK\nAda Quill,NO\n", None),
        (
            "Port of Tolgarth Quay\nPrinted 17.08.2031\n\nBerth;Vessel;Dues\n007;Saltwind;12,5\n012;Heron;3,0\n",
            Some(4),
        ),
        ("Port calls,,,\nCall,Berth,Vessel,Dues\n1,007,Saltwind,12.5\n2,012,Heron,3\n", Some(2)),
        ("call,berth,vessel\n", Some(1)),
        ("sep=;\nBerth;Dues\n007;12\n", Some(2)),
    ] {
        assert_eq!(detected(head).header_line, line, "{head}");
    }
}

#[test]
fn a_record_of_labels_that_is_mostly_blank_is_no_line_in_front() {
    let call =
        |n: u32| format!("Arrived: 2031-03-{n:02}\nVessel: Heron {n}\nDues: {n}.25\nGross: 30{n}.5\n\n");
    let calls: String = (10..17).map(call).collect();
    for (front, lines) in [
        ("Arrived:\nDues: 439.5\n\n", 0),
        ("", 0),
        // What has other labels stands in front.
        ("Printed: 2031-04-01\nDues: 439.5\n\n", 3),
        ("Port of Tolgarth Quay\n\n", 2),
    ] {
        let layout = detected(&format!("{front}{calls}"));
        let is_labelled =
            matches!(&layout.dialect.value.division, Division::Multiline(Multiline::Labelled { .. }));
        assert!(is_labelled, "{front}: {:?}", layout.dialect.value);
        assert_eq!(layout.lines_before_data, lines, "{front}");
    }
}

#[test]
fn what_each_record_says_before_its_values_are_labels_whatever_sets_them_off() {
    let states = ["new", "open", "late"];
    for mark in [": ", " = ", "=", " : "] {
        let part = |n: usize| {
            let (dues, state) = (n * 37 % 900, states[n * 7 % 3]);
            format!("Part no{mark}K {n:03}\nState{mark}{state}\nDues{mark}{dues},50\nRemark{mark}\n\n")
        };
        let text: String = (10..60).map(part).collect();
        assert_eq!(detected(&text).names, ["Part no", "State", "Dues", "Remark"], "{mark}");
    }
}

#[test]
fn names_that_are_kept_in_the_values_of_several_lines_are_told() {
    let (ships, states) = (["Heron", "Tern", "Saltwind"], ["in", "out"]);
    let text = |of: &dyn Fn(usize) -> String| -> String { (0..24).map(of).collect() };
    let list = text(&|i| format!("- id: {i}\n  ship: {}\n  state: {}\n", ships[i * 7 % 3], states[i % 2]));
    match detected(&list).doubt {
        Some(LayoutDoubt::LabelsKept(count, _, label)) => {
            assert!(count >= 2 && label.ends_with(':'), "{count} {label}");
        }
        doubt => panic!("{doubt:?}"),
    }
    // Values of their own.
    let plain =
        text(&|i| format!("TQ {:03}\n{} {i}\n2031-03-{:02}\n\n", i * 37 % 900, ships[i * 7 % 3], i + 1));
    assert!(!matches!(detected(&plain).doubt, Some(LayoutDoubt::LabelsKept(..))));
}

#[test]
fn words_that_are_numbered_from_column_to_column_are_names() {
    for (head, expected) in [
        ("Mole 1;Quay 2;date_3;Pier 4\nHeron;x;;B169\nTern Gull;x;;A477\nHeron Fog;x;;C713\n", Some(1)),
        ("Depth 4,Depth 5,Depth 6\nmud,silt,\nsand,,rock\nmud,mud,clay\nsilt,rock,sand\n", Some(1)),
        ("B 4,B 7,B 6\nA 1,C 12,D 3\nA 9,B 5,D 3\nC 7,C 4,A 1\nB 8,D 2,A 6\n", None),
    ] {
        assert_eq!(detected(head).header_line, expected, "{head}");
    }
}

#[test]
fn lines_in_front_that_come_twice_are_no_model_of_records() {
    let front = "Period: 01/2031\nPeriod: 01/2031\nPrinted: 2031-03-04\n\n";
    let head = "Ship    Code     Note                   Place   Paid   Time    Opened\n";
    let rows = "x       B2122    Mill Crane Quay        1 %     Y      01:25   2031-02-18\nx       A9667    Market Heron Salt      18 %    N              2031-12-27\n\
                x                Crane Market Salt      43 %    N              2031-08-11\nx                Berth Market, too      39 %    N      21:27   2031-09-03\n\
                x                Heron Church Church    33 %    Y              2031-05-14\nx                Wind Church Quay       13 %    Y      22:53   2031-07-17\n";
    let layout = detected(&format!("{front}{head}{rows}"));
    assert_eq!((layout.header_line, layout.width), (Some(5), 7));
    assert_eq!(layout.footer.set_aside, [], "no record is set aside");
}

#[test]
fn a_phrase_right_behind_the_last_record_is_none_of_them() {
    let head = "State   Note              Remark  Call\n------  ----------------  ------  -----\n";
    let rows = "N       Wind Salt Mill    Anchor\n        Salt Quay Wind    Wind\nN       Mill Pilot Fog    Mill    A0214\nY       Anchor Mill Tern  Market\nN       Heron Fog         Fog     A0215\n";
    for (last, records) in [("Printed by Ada Rowe\n", 5), ("", 5), ("Y       by Ada\n", 6)] {
        let layout = detected(&format!("{head}{rows}{last}"));
        let below = layout.footer.set_aside.iter().map(|a| a.lines).sum::<u64>();
        assert_eq!(5 + usize::from(last.len() > 3) - below as usize, records, "{last}");
    }
}

#[test]
fn counts_and_labels_right_behind_the_last_record_are_none_of_them() {
    let calls = "Call    Ship        Berth   Crew\n034914  Heron       Berth 3    5\n034915  Old Mole    Berth 7    4\n034916  Tern        Berth 9    4\n034917  Anna Penn   Berth 2    3\n";
    let quays = "Quay              Opened\nOld Mole 122      28/02/2029\nOld Mole 13       03/11/2025\nMarket Quay 163   22/11/2027\nOld Mole 85a      22/11/2026\n";
    for (above, last, below) in [
        (calls, "(4 entries)\n", 1),
        (calls, "Office: Tolgarth\n", 1),
        (calls, "Berth 4             Berth 4    2\n", 0),
        (calls, "034918  Office: 4   Berth 4    2\n", 0),
        (quays, "(4 entries)\n", 1),
        (quays, "(5 entries)\n", 1),
        (quays, "Market Quay 4\n", 0),
    ] {
        let layout = detected(&format!("{above}{last}"));
        let found = layout.footer.set_aside.iter().map(|a| a.lines).sum::<u64>();
        assert_eq!(found, below, "{last}{:?}", layout.dialect.value);
    }
}

#[test]
fn a_statement_in_front_holds_no_names() {
    let rows: String =
        (1..20).map(|i| format!("INSERT INTO calls VALUES ({i}, 'Heron', '{i:03}', {i}.50);\n")).collect();
    let layout = detected(&format!("CREATE TABLE calls (id);\n{rows}"));
    assert_eq!((layout.header_line, layout.lines_before_data), (None, 1), "{:?}", layout.names);
    assert_eq!(layout.header_why, "line 1 is one phrase");
}

#[test]
fn keys_with_numbers_and_marks_between_blanks_divide() {
    let names = ["nr_free", "nr_zone_idle", "used", "pages_lost", "low", "high_mark", "spare", "cached"];
    let of = |line: &dyn Fn(usize, &str) -> String| -> String {
        (0..24).map(|i| line(i, &format!("{}{}", names[i % 8], ["", "_x", "_now"][i / 8]))).collect()
    };
    for (text, expected) in [
        (of(&|i, name| format!("{name} {}\n", i * 7919 % 4000)), " "),
        (of(&|i, name| format!("{name}.level = {}\n", [7, 12, 365][i % 3])), " = "),
        // Streets with the numbers of houses.
        (of(&|i, name| format!("Quay{} {}\n", name.replace('_', ""), i * 7919 % 90)), ""),
        // What all values begin with is no column.
        (of(&|i, name| format!("/srv/calls/{name}/{}\n", ["list", "log"][i % 2])), ""),
    ] {
        let layout = detected(&text);
        let delimiter = String::from_utf8_lossy(&layout.dialect.value.delimiter).into_owned();
        assert_eq!(delimiter, expected, "{text}");
    }
}

#[test]
fn units_below_the_names_are_no_record() {
    let layout =
        detected("Time,Level,Wind\nhh:mm,m,kn\n09:30,1.2,5\n09:40,1.3,6\n09:50,1.4,7\n10:00,1.4,8\n");
    assert_eq!((layout.header_line, layout.units_line, layout.lines_before_data), (Some(1), Some(2), 2));
    assert_eq!(layout.units, ["hh:mm", "m", "kn"]);
}

#[test]
fn names_of_two_lines_are_joined() {
    for (head, names) in [
        (
            "Berth;Gross;Net\nnumber;tonnage;tonnage\n007;12,5;3,5\n012;3,0;1,0\n015;4,0;2,0\n",
            ["Berth number", "Gross tonnage", "Net tonnage"],
        ),
        (
            "Berth;Arrival;\n;Date;Time\n007;01.03.2031;9:30\n012;02.03.2031;9:40\n015;03.03.2031;9:50\n",
            ["Berth", "Arrival Date", "Time"],
        ),
    ] {
        let layout = detected(head);
        assert_eq!(
            (layout.header_line, layout.header_lines, layout.units_line),
            (Some(1), 2, None),
            "{head}"
        );
        assert_eq!(layout.names, names, "{head}");
    }
    let layout = detected(
        "Call;Arrival;;Departure;\nNo;Date;Time;Date;Time\n1;01.03.2031;9:30;02.03.2031;9:30\n2;03.03.2031;8:30;04.03.2031;7:30\n3;03.03.2031;8:45;04.03.2031;7:50\n",
    );
    assert_eq!(layout.names, ["Call No", "Arrival Date", "Arrival Time", "Departure Date", "Departure Time"]);
}

#[test]
fn titles_filled_up_with_delimiters_are_no_records() {
    let layout = detected(
        "Carrier;Northern Line;;;\nPeriod;2031-03;;;\nBerth;Vessel;Flag;Calls;Dues\n007;Saltwind;NL;3;12,5\n012;Heron;DK;4;3,0\n",
    );
    assert_eq!((layout.preamble_lines, layout.header_line), (2, Some(3)));
}

#[test]
fn totals_and_remarks_at_the_end_are_set_aside() {
    let layout = detected("Berth;Vessel;Dues\n007;Saltwind;12,5\n012;Heron;3,0\nTotal;;15,5\n\n2 records\n");
    assert_eq!(layout.footer.lines_before, 3);
    assert_eq!(layout.footer.total.as_ref().map(|t| t.line), Some(4));
    assert_eq!(layout.footer.filled_lines, 2);
    let why: Vec<_> = layout.footer.set_aside.iter().map(|s| (s.line, s.why.words())).collect();
    assert_eq!(why, [(4, "total line"), (6, "after the last record")]);
}

#[test]
fn a_total_may_fill_every_field_or_more_fields_than_the_records() {
    let berth = |i: usize| format!("\"{:05}\";{},5;{},25\n", i * 4_211 % 90_000, i * 37, i * 11);
    let all: String = (0..30).map(berth).collect();
    for last in ["\"TOTAAL\";838468,08;791484,64\n", "\"TOTAAL\";;791484,64;;\n"] {
        let layout = detected(&format!("{all}{last}"));
        assert_eq!(layout.footer.total.as_ref().map(|t| t.line), Some(31), "{last}");
    }
    // A name that sounds like one, with words besides, is a record.
    let layout = detected(&format!("{all}\"Total\";Saltwind;7,5\n"));
    assert_eq!((layout.footer.total, layout.footer.filled_lines), (None, 0));
}

#[test]
fn phrases_around_lined_up_columns_are_no_names_and_no_records() {
    let rows: String = (0..20)
        .map(|i| {
            format!(
                "{:>6}  {}       {:<6}  2031-03-{:02}\n",
                format!("{} %", i * 7 % 90),
                ["Y", "N"][i % 2],
                ["false", "true"][i % 3 % 2],
                i + 1
            )
        })
        .collect();
    let head = "Remark  Opened  Code    Arrived\n";
    let layout = detected(&format!("Tolgarth Quay\n{head}{rows}\nPrinted by Ada Rowe\n"));
    assert_eq!(layout.names, ["Remark", "Opened", "Code", "Arrived"]);
    assert_eq!((layout.header_line, layout.footer.filled_lines), (Some(2), 1));
}

#[test]
fn a_name_of_two_words_stands_over_one_column_and_a_sparse_column_keeps_its_own() {
    let row = |i: usize| {
        let (note, gross) =
            (["Tern", "", "", "", "", ""][i % 6], if i.is_multiple_of(3) { "" } else { "C6725" });
        format!(
            "{gross:<8}  {:>6}  {:<30}  {note:<5}  {}\n",
            format!("{}.{:02}", 100 + i * 37 % 900, i * 7 % 100),
            ["Crane Lock Anchor Market", "Fog", "Salt Heron Quay Pilot"][i % 3],
            ["Y", "N"][i % 2]
        )
    };
    let rows: String = (0..30).map(row).collect();
    let layout = detected(&format!(
        "{:<8}  {:>6}  {:<30}  {:<5}  Call no\n{rows}",
        "Gross kg", "Dues", "Share", "Note"
    ));
    assert_eq!(layout.names, ["Gross kg", "Dues", "Share", "Note", "Call no"]);
    // A rule with a part below each name settles it, however few and short the records are.
    let rows: String = (0..6)
        .map(|i| {
            format!(
                "{:<9}{:<14}{}\n",
                ["false", "true"][i % 2],
                if i == 2 { "2031-02-22" } else { "" },
                ["true", "false"][i % 3 % 2]
            )
        })
        .collect();
    let layout = detected(&format!(
        "Printed: 2031-03-04\nOffice 12\nDues     Remark        Paid\n-----    ----------    -----\n{rows}"
    ));
    assert_eq!(layout.width, 3);
}

#[test]
fn a_mark_for_nothing_is_a_value_of_a_column_also_in_the_first_line() {
    let numbers: String = (0..20)
        .map(|i| format!("{:010}\n{}", 435_252_036 + i, if i % 6 == 2 { "-\n" } else { "" }))
        .collect();
    let layout = detected(&format!("-\n{numbers}"));
    assert_eq!((layout.width, layout.lines_before_data, layout.header_line), (1, 0, None));
}

#[test]
fn comment_lines_are_found_and_headers_behind_a_mark_are_not_lost() {
    let layout = detected("# tide gauge 4\n# metres\n2031-08-17\t1.2\n2031-08-18\t1.3\n");
    assert_eq!(layout.dialect.value.comment_prefix.as_deref(), Some(&b"#"[..]));
    assert_eq!((layout.preamble_lines, layout.header_line), (2, None));
    let layout = detected("#Berth\tDues\tKind\n007\t1.2\ta\n008\t1.3\tb\n009\t1.4\tc\n");
    assert_eq!((layout.header_line, layout.names[0].as_str()), (Some(1), "#Berth"));
}

#[test]
fn totals_behind_a_mark_are_no_comments() {
    for (line, expected) in [
        ("* Subtotal           12.50", None),
        ("* Subtotal    3      12.50", None),
        ("* all of the 3 were late", Some(&b"*"[..])),
        ("* P7003  Saltwind    12.50 paid", Some(b"*")),
    ] {
        let head = format!(
            "Order  Vessel        Dues\nP7001  Grey Heron    9.50\nP7002  Saltwind      3.00\n{line}\nP7004  Ada Quill     7.25\n"
        );
        let layout = detected(&head);
        assert_eq!(layout.dialect.value.comment_prefix.as_deref(), expected, "{line}");
    }
}

#[test]
fn comments_are_told_from_records_and_separators_whatever_ends_lines() {
    let calls = ["Berth;Dues;Kind", "007;1.25;fuel", "012;3.50;ice", "031;4.75;fuel"];
    let with = |line: &str, end: &str| {
        let lines = [calls[0], calls[1], line, calls[2], calls[3]];
        lines.iter().map(|l| format!("{l}{end}")).collect::<String>()
    };
    for end in ["\n", "\r\n", "\r"] {
        let layout = detected(&with("* the crane was out of order", end));
        assert_eq!(layout.dialect.value.comment_prefix.as_deref(), Some(&b"*"[..]), "{end:?}");
    }
    // A semicolon is the delimiter: only in front, with a blank behind it, and where it divides otherwise, is it a remark.
    let calls = calls.join("\n");
    for (front, expected) in [
        ("; Port calls\n; all quays\n", Some(&b"; "[..])),
        ("; Port calls; all quays\n", None),
        (";Port calls\n", None),
    ] {
        let layout = detected(&format!("{front}{calls}\n"));
        assert_eq!(layout.dialect.value.comment_prefix.as_deref(), expected, "{front}");
    }
    let labels: String =
        (0..9).map(|n| format!("--\nArt. no.: NK-{n}\nPrice: {n}.25\nQuay: 00{n}\n")).collect();
    let layout = detected(&labels);
    assert_eq!((layout.names.join("|"), layout.width), ("Art. no.|Price|Quay".to_owned(), 3));
}

#[test]
fn what_stands_around_small_tables_is_no_record() {
    let rows = |mark: &str| -> String {
        let row = |n: u32| [format!("P70{n}"), format!("{n}.25"), format!("2031-03-{n}")].join(mark);
        (10..30).map(|n| row(n) + "\n").collect()
    };
    let names = |mark: &str| ["Order", "Dues", "Arrived"].join(mark);
    // Behind a blank line, whatever its words are like.
    let layout = detected(&format!("{}\n{}\nP7031\n(20 orders)\n", names(","), rows(",")));
    assert_eq!((layout.footer.lines_before, layout.footer.filled_lines), (22, 2));
    // One unit, and nothing else, below the names; a blank record is none.
    for (below, units) in [(",EUR,\n", Some(2)), (",,\n", None)] {
        let layout = detected(&format!("{}\n{below}{}", names(","), rows(",")));
        assert_eq!((layout.header_line, layout.units_line), (Some(1), units), "{below}");
    }
    // A label above is no pair of names; words that are not quite as many as the columns may be names, and that is asked.
    let layout = detected(&format!("Printed by: Quill,noon\n{}", rows(",")));
    assert_eq!((layout.header_line, layout.doubt), (None, None));
    let wide: String = (10..30).map(|n| format!("2031-03-{n};P70{n};{n}.25;ice\n")).collect();
    let layout = detected(&format!("ARRIVED;ORDER;DUES\n\n{wide}"));
    assert_eq!((layout.header_line, layout.doubt), (None, Some(LayoutDoubt::NamesAbove(1))));
    // The first line of a source begins as others do: it is a record, though it is unlike the ones next to it.
    let head = |n: u32| format!("HDR;2985{n};Grey Heron;C65\nDTL;{n},25;12,50;2031-03-{n}\n");
    let typed: String = (10..20).map(|n| head(n) + "DTL;6,50;3,75;2031-03-04\n").collect();
    assert_eq!(detected(&typed).lines_before_data, 0);
}

#[test]
fn marks_that_divide_all_records_are_no_accident() {
    let row = |n: u32, mark: &str| {
        [format!("RK{n}E"), format!("0253{n}"), format!("{n}.06.2031"), "checked".into(), format!("{n},25")]
            .join(mark)
    };
    let rows = |mark: &str| (10..40).map(|n| row(n, mark) + "\n").collect::<String>();
    let layout =
        detected(&format!("Dues of June\nPrinted by#Quill\n\nNo.#Pol.#Day#State#Dues\n{}", rows("#")));
    assert_eq!((delimiter(&layout).as_str(), layout.header_line), ("“#”", Some(4)));
    // Blank fields make pairs of single marks; tabs behind the last value are one each.
    let gaps: String = (10..40).map(|n| format!("56{n}720,,{n}/04/2031\n")).collect();
    assert_eq!(delimiter(&detected(&format!("Code,Fine,Day\n{gaps}"))), "comma");
    let tabs =
        detected("49.12\t0.53\tice\t21\t\t\t\n49.03\t0.84\tfuel\t80\t\t\t\n52.60\t0.89\tice\t86\t\t\t\n");
    assert_eq!((tabs.dialect.value.runs_as_one, tabs.width), (false, 7));
    // First and last names are one value; commas of prose divide nothing evenly, and that is said.
    let people = ["Ada Quill", "Jon Marsh", "Ada Heron", "Eve Tern", "Jon Quill"];
    let names: String = (0..60).map(|n: usize| people[(n * n + n / 3) % 5].to_owned() + "\n").collect();
    assert_eq!(detected(&names).width, 1);
    let uneven: String =
        (10..60).map(|n| format!("{n},2{n},3{n},{}\n", if n % 3 == 0 { "9,8,7" } else { "6" })).collect();
    assert!(matches!(detected(&uneven).doubt, Some(LayoutDoubt::Uneven(..) | LayoutDoubt::RunnerUp)));
}

#[test]
fn names_in_a_comment_may_be_set_apart_by_several_tabs() {
    let rows: String =
        (1..12).map(|i| format!("A{i}\t+{i:04}\tQuay {i}\t{}\n", ["", "old"][i % 2])).collect();
    let layout = detected(&format!("# All quays.\n#\n#code\tplace\tname\t\tremark\n{rows}"));
    assert_eq!((layout.header_line, layout.names.join(" ").as_str()), (Some(3), "code place name remark"));
}

#[test]
fn a_rule_above_a_sum_says_nothing_of_the_columns_that_it_leaves_out() {
    let row = |n: usize| {
        let (ship, paid) =
            (["Heron", "Old Mole", "Anna Penn"][n % 3], if n % 9 == 4 { "" } else { "31/03/2031" });
        format!(
            "{ship:<16}  {:<7}  {:<11}  {:<10}  m3  {paid}\n",
            n * 7919 % 90_000,
            n * 104_729 % 999_999,
            n * 31 % 977
        )
    };
    let rows: String = (10..60).map(row).collect();
    let sum =
        "                  -------  -----------  ----------\nTOTAL             1999999  24999999     19999\n";
    let layout = detected(&format!("Weighbridge journal\n{rows}{sum}"));
    let Division::Fixed(fixed) = &layout.dialect.value.division else { panic!("{:?}", layout.dialect.value) };
    assert_eq!(fixed.starts.len(), 6, "{fixed:?}");
}

#[test]
fn two_tables_in_one_file_are_said_to_be_two() {
    let calls: String = (0..8).map(|i| format!("A-{i},{i:03},{i}.50\n")).collect();
    let tides: String = (0..6).map(|i| format!("0{i}:00,{i}.25\n")).collect();
    let layout = detected(&format!("Calls\nCall,Berth,Dues\n{calls}\nTides\nTime,Level\n{tides}"));
    assert_eq!(layout.doubt, Some(LayoutDoubt::TwoWidths([9, 3], [7, 2])));
    assert_eq!(layout.dialect.runner_up, None, "no other mark divides");
    let said = layout.doubt.as_ref().unwrap().message(&layout);
    assert!(said.starts_with("9 of the lines looked at have 3 fields, 7 others have 2: "), "{said}");
    // Empty fields at the end are no second table.
    let short: String =
        (0..20).map(|i| format!("A-{i},{i:03}{}\n", [",1.50", ""][usize::from(i % 7 == 3)])).collect();
    assert_eq!(detected(&format!("Call,Berth,Dues\n{short}")).doubt, None);
}

#[test]
fn the_name_of_a_single_column_is_read_as_its_values_are() {
    let layout =
        detected("\"Ship, Master\"\n\"Heron, 12\"\n\"Old \"\"Mole\"\", 7\"\n\"Tern, 9\"\n\"Anna, 4\"\n");
    assert_eq!((layout.header_line, layout.names), (Some(1), vec!["Ship, Master".to_owned()]));
}

#[test]
fn lines_in_turns_are_records_also_where_nothing_marks_the_first_one() {
    for (form, lines) in [(0, 3), (1, 4)] {
        let record = |n: u32| match form {
            0 => format!(
                "{:02}-apr-2031 22:4{}:40\n{}P4{n}\nfilter {}\n",
                n % 28 + 1,
                n % 10,
                50 + n % 7,
                n % 3
            ),
            _ => format!("{}.1.2031\nlate and lost {}\n-\n{}.2.2031\n", n % 28 + 1, n % 5, n % 27 + 1),
        };
        let text: String = (100..230).map(record).collect();
        let layout = detected(&text);
        assert_eq!(layout.dialect.value.division.lines_per_record(), lines, "{text:.80}");
        assert_eq!(layout.lines_before_data, 0);
    }
}

#[test]
fn choices_are_obeyed_and_said_to_be_given() {
    let choices =
        LayoutChoices { delimiter: Some(",".into()), header: HeaderChoice::None, ..LayoutChoices::default() };
    let head = b"Berth;Dues\n007;1,5\n";
    let layout = detect(Samples { head, ..Samples::default() }, &choices);
    assert_eq!(layout.dialect.decided_by, DecidedBy::Given);
    assert_eq!((layout.dialect.value.delimiter.as_slice(), layout.header_line), (&b","[..], None));
}

#[test]
fn the_runner_up_is_told_with_its_weakness() {
    let layout = detected("Berth;Dues;Kind\n007;1,5;a\n012;2,5;b\n031;3,5;c\n");
    let rival = layout.dialect.runner_up.unwrap();
    assert_eq!(rival.value.delimiter, b",");
    assert_eq!(rival.why, "it divides 3 of 4 records into 2 fields, the others differently");
}

#[test]
fn a_rule_with_a_part_below_each_name_says_where_columns_are() {
    // A column that is filled in the first row of each group only, and names of several words.
    let head = concat!(
        "Quay  Order no  Arrived     Vessel            Dues\n",
        "----  --------  ----------  ------------  --------\n",
        "007   P7001     2031-03-01  Grey Heron      112.50\n",
        "      P7002     2031-03-02  Saltwind         13.00\n",
        "      P7003     2031-03-02  Ada Quill        98.75\n",
        "012   P7004     2031-03-03  Saltwind        410.25\n",
        "      P7005     2031-03-04  Grey Heron        7.00\n",
    );
    let layout = detected(head);
    let fixed = layout.dialect.value.division.fixed().unwrap();
    assert_eq!(fixed.starts, [0, 6, 16, 28, 42]);
    assert_eq!(layout.names, ["Quay", "Order no", "Arrived", "Vessel", "Dues"]);
    assert!(layout.is_named);
}

#[test]
fn totals_of_groups_are_known_by_their_sums() {
    let detail = |order: usize, cents: usize| {
        format!(
            "V{order}   2031-03-{:02}  Grey Heron {:>9}\n",
            order % 28 + 1,
            format!("{}.{:02}", cents / 100, cents % 100)
        )
    };
    let total =
        |cents: usize| format!("{:<27}{:>12}\n", "Harbour", format!("{}.{:02}", cents / 100, cents % 100));
    let mut head = "ORDER   DAY         VESSEL         DUES\n".to_owned();
    for group in 0..4 {
        let amounts: Vec<usize> = (0..4).map(|n| 1050 + group * 731 + n * 77).collect();
        head.extend(amounts.iter().enumerate().map(|(n, cents)| detail(1000 + group * 4 + n, *cents)));
        head.push_str(&total(amounts.iter().sum()));
    }
    let layout = detected(&head);
    let mut machine = Machine::new(&layout.dialect.value);
    let repeats = Repeats::of(head.as_bytes(), &layout);
    let mut records = 0;
    let at = head.find('\n').unwrap() + 1;
    let mut count = Each(|_: &Record<'_>| {
        records += 1;
        Flow::Continue(())
    });
    each_record(&mut machine, &head.as_bytes()[at..], true, &repeats, (2, &mut Carry::default()), &mut count);
    assert_eq!(records, 16, "no word says that the lines of the harbour are totals");
}

#[test]
fn packed_lines_that_hold_dates_or_times_are_never_taken_for_something_else_in_silence() {
    let packed = |line: fn(usize) -> String| (1..9).map(|i| line(i) + "\n").collect::<String>();
    for (head, places) in [
        (packed(|i| format!("{:08}{:02}/17/2031{:05}", i * 7_654_321, i, i * 91 % 300)), &[9, 19][..]),
        (packed(|i| format!("TQ{}K2031-08-{:02}{i}.25,{i}", i * 113, i * 3)), &[7, 17]),
        // A moment in one piece, and a name that ends in a date, are whole values.
        (packed(|i| format!("2031-08-{:02}T09:{:02}:00", i * 3, i * 7)), &[]),
        (packed(|i| format!("log2031-08-{:02}.txt", i * 3)), &[]),
        // Where names over a strong mark say what is divided, a date may end as it likes.
        (format!("id;stay\n{}", packed(|i| format!("{i};2031-08-{:02}B", i * 3))), &[]),
    ] {
        let doubt = detected(&head).doubt;
        let found = if let Some(LayoutDoubt::DateTouches(places)) = &doubt { &places[..] } else { &[] };
        assert_eq!(found, places, "{head}");
    }
    let times = packed(|i| {
        let task = ["Pump", "Sluice", "Crane", "Gate"][i % 4];
        format!("1{i}:0{i}{task:<8}{i}:2{i}QT-{i}4")
    });
    assert!(detected(&times).doubt.is_some(), "{:?}", detected(&times).dialect.value);
}

#[test]
fn a_bracket_and_the_digits_behind_it_are_one_value_where_more_sets_columns_off() {
    let line = |i: usize| {
        let (area, own) = (i * 137 % 900 + 100, i * 8_713 % 90_000);
        format!(
            "{:<8}+91 ({area}) {:03}-{:02}-14   {:02}/09/2031   {:>7}.50",
            1000 + i * 37,
            own / 100,
            own % 100,
            i % 28 + 1,
            i * 311 % 4000
        )
    };
    let head =
        "Berth   Pilot mobile          Day          Dues\n-----------------------------------------------\n"
            .to_owned()
            + &(1..30).map(|i| line(i) + "\n").collect::<String>();
    let Division::Fixed(fixed) = detected(&head).dialect.value.division else { panic!("{head}") };
    assert_eq!(fixed.starts.len(), 4, "{:?} {head}", fixed.starts);
}

#[test]
fn labels_leave_no_doubt_whether_as_many_lines_would_be_records() {
    let ships = ["Saltwind", "Grey Heron", "Anselm", "Tern"];
    for labels in [2, 3, 6] {
        let record = |i: usize| {
            let lines = [
                format!("call_no: TQ-{:04}", i * 37),
                format!("ship: {}", ships[i * 7 % 4]),
                format!("arrived: 2031-08-{:02} 0{}:{:02}", 1 + i % 28, i % 9, i * 13 % 60),
                format!("berth: {}/{}", i % 9 + 1, i % 14 + 1),
                format!("dues: EUR {}.{:02}", i * 731 % 9000, i * 17 % 100),
                format!("stay: 0{}:{:02}", i % 8, i * 29 % 60),
            ];
            lines[..labels].join("\n") + "\n\n"
        };
        let layout = detected(&(1..41).map(record).collect::<String>());
        assert_eq!((layout.names.len(), &layout.doubt), (labels, &None), "{:?}", layout.names);
    }
}

#[test]
fn columns_that_touch_are_cut_where_words_dates_and_units_say_so() {
    let ships = ["Saltwind", "Heron", "Tern", "Grey Anselm", "Curlew"];
    let lines = |line: &dyn Fn(usize) -> String| (1..30).map(|i| line(i) + "\n").collect::<String>();
    for (head, expected) in [
        // Numbers that run into names, and names that run into names.
        (
            lines(&|i| {
                format!("{:05}{:<11}{}", i * 2741 % 90_000 + 10_000, ships[i % 5], ["Quill", "Pender"][i % 2])
            }),
            &[0, 5, 16][..],
        ),
        // A filled-up number with its unit behind it.
        (lines(&|i| format!("{:<11}{:010}kWh", ships[i % 5], i * 731 % 9000 * 10)), &[0, 11, 21]),
        // The sign ends the number, and does not begin the date.
        (
            lines(&|i| {
                format!(
                    "{:<11}{:08}{}203108{:02}",
                    ships[i % 5],
                    i * 4177 % 99_000,
                    ["+", "-"][usize::from(i % 7 == 0)],
                    1 + i * 5 % 28
                )
            }),
            &[0, 11, 20],
        ),
    ] {
        let layout = detected(&head);
        let Division::Fixed(fixed) = &layout.dialect.value.division else { panic!("{head}") };
        assert_eq!(fixed.starts, expected, "{head}");
        assert!(layout.doubt.is_some(), "columns that touch are said: {head}");
    }
}

#[test]
fn the_heading_of_a_group_below_a_rule_is_no_second_line_of_names() {
    let details = |station: &str| {
        let lines: String = (1..9)
            .map(|i| format!("    0{i}-2{i}   {}  {:02}.08.31  EUR  {:>8}.40\n", i % 4, i * 3, i * 317))
            .collect();
        format!("Station:  {station}\n{lines}")
    };
    let head = format!(
        "    Berth   Lock  Arrived   Cur         Dues\n    -----   ----  --------  ---  -----------\n{}{}",
        details("North Pier"),
        details("South Basin")
    );
    let layout = detected(&head);
    assert_eq!(layout.names[..5], ["Berth", "Lock", "Arrived", "Cur", "Dues"]);
    assert_eq!(layout.header_lines, 2, "the names and the rule below them");
}

#[test]
fn names_that_stand_before_their_values_in_a_line_are_told() {
    let rows = |line: &dyn Fn(usize) -> String| -> String { (1..20).map(line).collect() };
    let told = |head: &str| match detected(head).doubt {
        Some(LayoutDoubt::NameBehind(column, name)) => Some((column, name)),
        _ => None,
    };
    for (head, expected) in [
        (
            rows(&|i| format!("call={i:06} berth={:03} dues={}.50\n", i * 7 % 40, i * 31)),
            Some((2, "berth".to_owned())),
        ),
        // A unit ends values of other divisions, and a name alone is all there is.
        (rows(&|i| format!("{i:03};{} kg;{} m\n", i * 31, i * 7)), None),
        (rows(&|i| format!("depth of berth {i} = {}.5 m\n", i * 3)), None),
    ] {
        assert_eq!(told(&head), expected, "{head}");
    }
}

#[test]
fn tables_with_drawn_lines_are_divided_by_them() {
    let rows: String =
        (1..20).map(|i| format!("│ {i:03} │ {:<8} │ {:>8}.50 │\n", ["Ada", "Mara"][i % 2], i * 31)).collect();
    let (top, rule, end) = ["┌┬┐", "├┼┤", "└┴┘"]
        .map(|c| c.chars().collect::<Vec<_>>())
        .map(|c| format!("{0}─────{1}──────────{1}─────────────{2}\n", c[0], c[1], c[2]))
        .into();
    let layout = detected(&format!("{top}│ No  │ Ship     │        Dues │\n{rule}{rows}{end}"));
    let names: Vec<&str> =
        layout.names.iter().map(|name| name.trim()).filter(|name| !name.is_empty()).collect();
    assert_eq!(
        (layout.dialect.value.delimiter.as_slice(), names),
        ("│".as_bytes(), vec!["No", "Ship", "Dues"])
    );
}

#[test]
fn labels_are_no_part_of_values_whatever_else_divides_them() {
    let record = |i: usize| {
        format!(
            "Berth no: {:03}\nArrived: 2031-08-{i:02}\nPilot: {}\nWater [t]: {}.{:02}\nRemark: {}\n\n",
            i * 7 % 40,
            ["Rowe, Ada", "Quill, Jon", "Tern, Mara"][i % 3],
            i * 13 % 90,
            i * 37 % 100,
            ["waits for the tide at the buoy", "all well", "asks for a crane"][i % 3],
        )
    };
    let layout = detected(&format!("BUNKER LIST\n\n{}", (1..20).map(record).collect::<String>()));
    assert_eq!(layout.names, ["Berth no", "Arrived", "Pilot", "Water [t]", "Remark"]);
}

#[test]
fn sorts_of_values_that_come_back_are_told() {
    let lines = |line: &dyn Fn(usize) -> String| -> String { (0..30).map(line).collect() };
    let cycle = |head: &str| match detected(head).doubt {
        Some(LayoutDoubt::Cycle(lines)) => Some(lines),
        _ => None,
    };
    let states = ["new", "open", "closed", "late"];
    for (head, expected) in [
        (
            lines(&|i| {
                format!(
                    "{}{}\n{}\n{}\n",
                    ["U", "C", "F"][i % 3],
                    i * 37 % 90 + 10,
                    states[i * 7 % 4],
                    states[i * 5 % 3]
                )
            }),
            Some(3),
        ),
        // A value that is missing here and there, or looks like a number.
        (
            lines(&|i| {
                let version = if i % 4 == 0 { format!("1.{i}") } else { format!("2.{i}.1") };
                let weight = if i % 5 == 0 { "-".to_owned() } else { format!("{i},25") };
                format!("{i:03}/{:02}\n{weight}\n{}\n{version}\n", i * 7 % 90, states[i * 7 % 4])
            }),
            Some(4),
        ),
        (lines(&|i| format!("{}\n", states[i * 7 % 4])), None),
        (lines(&|i| format!("{}\n", i * 37 % 90)), None),
        (
            lines(&|i| {
                if matches!(i, 0 | 3 | 4 | 9 | 11 | 17 | 18 | 25) {
                    format!("{i}\n")
                } else {
                    format!("{}\n", states[i % 4])
                }
            }),
            None,
        ),
    ] {
        let found = detected(&head);
        assert!(found.width > 1 || cycle(&head) == expected, "{expected:?} {:?}\n{head}", found.doubt);
    }
}

#[test]
fn the_line_above_the_names_is_no_part_of_them_unless_it_goes_on_there() {
    let rows: String =
        (1..20).map(|i| format!("{i:05}\t{:02}.03.2031\t{}\t{i}25\tropes\t{i},50\n", i, i * 7)).collect();
    for (head, expected) in [
        // A label and its value that a program filled up; a name is missing.
        ("Office\tTolgarth\t\t\t\t\nVoucher\tDate\tAccount\t\tText\tDues\n", "Voucher"),
        ("Voucher\t\t\tOther\t\tDues\nno\tDate\tAccount\taccount\tText\tin EUR\n", "Voucher no"),
    ] {
        let layout = detected(&format!("{head}{rows}"));
        assert_eq!(layout.names.first().map(String::as_str), Some(expected), "{head}");
    }
}

#[test]
fn the_only_rule_is_drawn_below_names() {
    let pilots = ["ROWE Ada", "QUILL Jon", "TERN Mara", "SKERRY Odd"];
    let row = |i: usize| format!("{:<16}  {}\n", pilots[i * 7 % 4], ["Holm", "Vik", "Brae Head"][i % 3]);
    let rows: String = (0..30).map(row).collect();
    let layout = detected(&format!(
        "LIST OF PILOTS 2031\nPilot             Harbour\n================  =========\n{rows}"
    ));
    assert_eq!((layout.header_line, layout.names), (Some(2), vec!["Pilot".to_owned(), "Harbour".to_owned()]));
}

#[test]
fn telephone_numbers_in_pairs_are_one_value() {
    let phones = ["06 65 38 03 95", "03 69 97 66 75", "02 57 04 48 91", "02 87 21 63 53", "04 99 68 79 34"];
    let column: String = phones.iter().map(|phone| format!("{phone}\n")).collect();
    assert_eq!(detected(&format!("Phone\n{column}")).width, 1);
    let table: String =
        phones.iter().enumerate().map(|(at, phone)| format!("{:03} {phone} TQ\n", at * 217 % 900)).collect();
    assert!(detected(&table).width < 6, "not five columns of two digits");
    // Days and times are columns.
    let times = "03 14 22 08 59\n04 01 07 31 12\n05 30 19 44 20\n06 11 23 52 36\n07 02 15 26 41\n";
    assert_eq!(detected(times).width, 5);
}

#[test]
fn values_stand_below_their_names_whatever_blanks_they_hold() {
    let row = |at: usize| {
        let phone = format!("({:03}) {:03} {:04}", at * 87 % 400, at * 799 % 1000, at * 3331 % 10000);
        format!(
            "{:04}     {:<9} {phone} {}\n",
            at * 738 % 2400,
            ["Quill", "Rowe", "Ashby"][at % 3],
            ["no", "yes"][at % 2]
        )
    };
    let rows: String = (3..19).map(row).collect();
    let layout = detected(&format!("Time     Keeper    Phone          Left\n{rows}"));
    assert_eq!(layout.names, ["Time", "Keeper", "Phone", "Left"]);
    let starts = layout.dialect.value.division.fixed().map(|fixed| fixed.starts.clone()).unwrap();
    assert_eq!(starts, [0, 9, 19, 34], "no number is cut in two");
}

#[test]
fn names_of_empty_columns_keep_their_place() {
    let rows: String = (1..13)
        .map(|at| format!("{:<6} {:>4}     TQ-{:03}\n", ["Tern", "Heron"][at % 2], at * at * 7, at * 71))
        .collect();
    let layout = detected(&format!("Ship   Dues   S Code   Remark\n{rows}"));
    assert_eq!(layout.names, ["Ship", "Dues", "S", "Code", "Remark"]);
}

#[test]
fn gutters_that_all_lines_keep_to_leave_no_doubt() {
    let rows = |gap: &str, count: usize| -> String {
        (1..=count)
            .map(|at| {
                format!(
                    "{:<8}{gap}{:<5}{gap}{:>5}\n",
                    ["Tern", "Saltwind"][at % 2],
                    ["open", "paid"][at % 3 % 2],
                    at * at
                )
            })
            .collect()
    };
    assert_eq!(detected(&rows("  ", 20)).doubt, None);
    assert_eq!(detected(&rows("  ", 20)).width, 3);
    assert!(detected(&rows(" ", 20)).doubt.is_some(), "one blank may stand inside a value");
}

#[test]
fn a_stated_line_of_names_says_which_lines_are_records() {
    let text: String =
        (1..30).map(|at| format!("Gauge {at}: {}.{} m, checked by A. Quill\n", at % 4, at % 10)).collect();
    let table = "Hour;Level;Flow\n1;2.41;0.3\n2;2.40;0.2\n3;2.38;0.2\n";
    let stated = LayoutChoices { header: HeaderChoice::Line(30), ..LayoutChoices::default() };
    let head = format!("{text}{table}");
    let layout = detect(Samples { head: head.as_bytes(), ..Samples::default() }, &stated);
    assert_eq!((delimiter(&layout), layout.width, layout.names.len()), ("semicolon".into(), 3, 3));
}

#[test]
fn a_text_at_the_end_of_lines_is_one_value_behind_short_codes() {
    let first =
        ["APPLE", "TOLGARTH", "GREY", "LONG", "NORTH", "SALT", "MARSH", "COPPER", "OLD", "LOW", "HIGH"];
    let second = ["POINT", "QUAY LIGHT", "HEAD", "MERIDIAN SHOAL BUOY", "GATE", "LOCK WEST", "BANK"];
    let codes = ["AP", "TQL", "GH", "LMSB", "NG", "TQ", "SW"];
    let row = |at: usize| {
        let (code, end) = (codes[at % 7], ["", "ER", "LEY"][at % 3]);
        let name = format!("{}{end} {}", first[at % 11], second[at * 3 % 7]);
        format!("{} {}.{} {} {code} {name}\n", at % 9, at * 7 % 600, at * 731 % 1000, at * at * 17 % 8000)
    };
    let rows: String = (1..60).map(row).collect();
    let choices = LayoutChoices { kind: Some(LayoutKind::Delimited), ..LayoutChoices::default() };
    let layout = detect(Samples { head: rows.as_bytes(), ..Samples::default() }, &choices);
    assert_eq!((layout.dialect.value.most_fields, delimiter(&layout)), (Some(5), "space".into()));
}

#[test]
fn tabs_and_blanks_mixed_by_hand_divide_alike() {
    let rows: String = (1..13)
        .map(|at| {
            let gap = if at < 3 { "\t\t" } else { "            " };
            format!("m{at:02} \t{}.{}{gap}{}.5    \t{}.{}\n", at * 7, at % 10, at * 3, at, at % 7)
        })
        .collect();
    let layout = detected(&format!("Month\train(A-B)\train(B-C)\tflow(A-B)\n{rows}"));
    assert_eq!((layout.width, layout.header_line, delimiter(&layout)), (4, Some(1), "space".into()));
}

#[test]
fn account_numbers_in_groups_are_one_value() {
    let account = |at: usize| {
        format!(
            "XX{:02} {:04} {:04} {:04} {:02}",
            at * 31 % 90 + 10,
            at * 2731 % 10000,
            at * 977 % 10000,
            at * 4409 % 10000,
            at
        )
    };
    let alone: String = (10..30).map(|at| format!("{}\n", account(at))).collect();
    assert_eq!(detected(&format!("Account\n{alone}")).width, 1);
    // As a line of a record, and between other columns.
    let blocks: String = (10..30).map(|at| format!("2031-08-{at}\nA. Quill\n{}\n\n", account(at))).collect();
    assert_eq!(detected(&blocks).width, 3);
    let table: String =
        (10..30).map(|at| format!("2031-08-{at} {} {:>9}.50\n", account(at), at * at * 37)).collect();
    let layout = detected(&table);
    let starts = layout.dialect.value.division.fixed().map(|fixed| fixed.starts.clone());
    assert_eq!(starts, Some(vec![0, 11, 33]), "{}", delimiter(&layout));
}

#[test]
fn another_way_to_find_the_same_records_is_no_rival() {
    // Further lines are set in, and a digit begins each record: both say where records begin.
    let rows: Vec<String> = (1..30_u32)
        .map(|at| {
            format!(
                "{:04}\n    Saltwind {:<9}2031-08-{:02}{:>9}.{:02}\n",
                at * 37,
                ["Quay", "Marsh", "Lantern"][at as usize % 3],
                at % 28 + 1,
                at * at * 7,
                at
            )
        })
        .collect();
    let layout = detected(&rows.concat());
    assert_eq!(layout.width, 4);
    assert_eq!(layout.doubt, None, "{:?}", layout.dialect.runner_up);
}

#[test]
fn fields_drawn_below_the_names_are_no_units() {
    let rows =
        "| 001 | Tern | 12.50 |\n| 002 | Saltwind | 7.00 |\n| 003 | Heron | 8.25 |\n| 004 | Tern | 9.00 |\n";
    for (rule, units) in
        [("|------|:-----|-----:|", None), ("| --- | --- | --- |", None), ("|  |  | (GBP) |", Some(2))]
    {
        let layout = detected(&format!("| Call | Ship | Dues |\n{rule}\n{rows}"));
        assert_eq!(
            (layout.header_line, layout.units_line, layout.lines_before_data),
            (Some(1), units, 2),
            "{rule}"
        );
        assert_eq!(layout.names.iter().filter(|name| !name.is_empty()).count(), 3, "{rule}");
    }
}

#[test]
fn a_record_with_the_word_for_a_total_in_a_later_field_is_a_record() {
    let rows: String =
        (1..20).map(|at| format!("{at:04};Tern, at berth {};{:03}\n", at % 7, at * 37 % 200)).collect();
    for (last, footer) in [("0020;Total 12,50;030", 0), ("Total;;1234", 1), ("Total;20;1234", 1)] {
        let layout = detected(&format!("Call;Remarks;Berth\n{rows}{last}\n"));
        assert_eq!(layout.footer.filled_lines, footer, "{last}");
    }
}
