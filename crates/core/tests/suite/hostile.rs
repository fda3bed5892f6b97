//! Text that is no table, and text that tries to be none: an answer, soon, without a panic.

use crate::layout_of;
use incola_core::layout::{LayoutChoices, LayoutDoubt, LayoutKind, Samples, detect};

#[test]
fn odd_text_gets_an_answer() {
    let wide = vec!["7"; 100_000].join(",");
    let long = "x".repeat(1 << 20);
    let noise: String =
        (0..20_000_u32).map(|i| char::from(33 + (i.wrapping_mul(2_654_435_761) >> 13) as u8 % 90)).collect();
    for text in [
        "",
        "\n",
        "\n\n\n",
        "one line",
        "one line without an end\n",
        &"the same line\n".repeat(300),
        &"a,b\n".repeat(300),
        &format!("{wide}\n{wide}\n{wide}\n"),
        &format!("{long}\n{long}\n{long}\n"),
        &noise,
        "\"\"\"\"\"\"\"\n\"\"\n\"",
        &"\"".repeat(5000),
        "----\n====\n----\n",
        "\u{feff}\u{0}\u{1}\u{2}\n\u{3}\n",
        &" ".repeat(10_000),
        &"\t\n".repeat(500),
        "a: \nb: \na: \nb: \na: \n",
        "１２３\n４５６\n",
    ] {
        let layout = layout_of(text);
        assert!(layout.width >= 1, "{}", text.chars().take(40).collect::<String>());
    }
}

#[test]
fn stated_layouts_are_obeyed_on_any_text() {
    for text in ["", "a\n", "a b c\nd e f\n", "1;2\n3;4\n", "\n\n"] {
        for choices in [
            LayoutChoices { delimiter: Some(";".into()), ..Default::default() },
            LayoutChoices { kind: Some(LayoutKind::Fixed), ..Default::default() },
            LayoutChoices { kind: Some(LayoutKind::Multiline), ..Default::default() },
            LayoutChoices { kind: Some(LayoutKind::Report), ..Default::default() },
            LayoutChoices { starts: Some(vec![vec![0, 2, 900]]), ..Default::default() },
            LayoutChoices { lines_per_record: Some(3), ..Default::default() },
        ] {
            let layout = detect(Samples { head: text.as_bytes(), ..Samples::default() }, &choices);
            assert!(layout.doubt.is_none() && layout.width >= 1, "{text:?} {choices:?}");
        }
    }
}

#[test]
fn other_forms_of_text_are_kept_line_by_line_and_said_to_be_none() {
    for text in [
        "[tide]\nstation=0041\nlimit=3\n\n[wind]\nunit=kn\nhours=12\n",
        "{\n  \"berth\": \"007\",\n  \"dues\": [12.5, 3]\n}\n",
        "<quay>\n  <berth>007</berth>\n  <berth>012</berth>\n</quay>\n",
    ] {
        let layout = layout_of(text);
        assert_eq!(layout.width, 1, "{text}");
        assert!(matches!(layout.doubt, Some(LayoutDoubt::NoTable(_))), "{text}");
    }
}
