//! What the options mean: settings, with mistakes told in the option's own words.

use super::definitions::Import;
use super::read::Read;
use crate::docket::DocketFile;
use crate::failure::{Failure, Result};
use crate::wording::settings::bad;
use incola_core::evidence::DecidedBy;
use incola_core::layout::fixed::StartEdit;
use incola_core::layout::{LayoutKind, LineChoice, LinesMeant};
use incola_core::reading::Choices;
use incola_core::rows::Role;
use incola_core::settings::docket::Docket;
use incola_core::settings::model::{
    BlankRows, Carried, ExtraColumns, MatchBy, MissingColumns, Mode, NameCase, StartsIn, Stays,
};
use incola_core::settings::selector::{AsChoice, Selector};
use incola_core::settings::{
    BadSetting, LineOrWord, LineRange, Place, Reading, Settings, choices, read_list,
};

impl Read {
    /// How sources are read, as far as it was typed.
    ///
    /// # Errors
    /// Status 2 if a list is none.
    pub(crate) fn reading(&self) -> Result<Reading> {
        let yes = |word: &String| word == "yes";
        Ok(Reading {
            encoding: self.encoding.clone(),
            layout: self.layout.as_deref().and_then(layout),
            delimiter: self.delimiter.clone(),
            runs_as_one: self.runs_as_one.as_ref().map(yes),
            quote: self.quote.clone(),
            double_quote: self.double_quote.as_ref().map(yes),
            header: self.header.as_deref().map(line_or_word),
            lines: self.lines.clone(),
            starts: self.starts.clone(),
            starts_in: self.starts_in.as_deref().and_then(StartsIn::from_word),
            lines_per_record: self.lines_per_record,
            headings: list("headings", self.headings.as_deref())?,
            carried: self.carried.as_deref().and_then(Carried::from_word),
            carry: match self.carry.as_deref() {
                Some("none") => Some(Vec::new()),
                carry => list("carry", carry)?,
            },
            divide: (!self.divide.is_empty()).then(|| self.divide.clone()),
            condition: self.condition.clone(),
            compute: (!self.compute.is_empty()).then(|| self.compute.clone()),
            distinct: list("distinct", self.distinct.as_deref())?,
            distinct_stays: self.distinct_stays.as_deref().and_then(Stays::from_word),
            by: list("by", self.by.as_deref())?,
            take: self.take.clone(),
            comment: self.comment.clone(),
            decimal_char: self.decimal_char.clone(),
            group_char: self.group_char.clone(),
            only: list("only", self.only.as_deref())?,
            blank: list("blank", self.blank.as_deref())?,
            blank_rows: self.blank_rows.as_deref().and_then(BlankRows::from_word),
            names: list("names", self.names.as_deref())?,
            survey: self.survey.as_deref().map(line_or_word),
        })
    }

    /// What was typed about reading, over what a docket says.
    ///
    /// # Errors
    /// As [`Self::reading`].
    pub(crate) fn settings(&self, docket: Option<&Docket>) -> Result<Settings> {
        Ok(Settings::new(&self.reading()?, &Place::default(), docket))
    }

    /// What lines are, by their numbers.
    fn lines_meant(&self) -> Vec<LineChoice> {
        let all = [
            (Role::Detail, &self.detail_line),
            (Role::Total, &self.total_line),
            (Role::Heading, &self.heading_line),
        ];
        let of = |(role, lines): (Role, &Vec<u64>)| -> Vec<LineChoice> {
            lines.iter().map(|line| LineChoice { role, lines: LinesMeant::LikeLine(*line) }).collect()
        };
        all.into_iter().flat_map(of).collect()
    }

    /// The choices that the options and a docket make, and the lines that are wanted.
    ///
    /// # Errors
    /// Status 2 for a value that means nothing.
    pub(crate) fn choices(&self, docket: Option<&DocketFile>) -> Result<(Choices, Option<LineRange>)> {
        let settings = self.settings(docket.map(|file| &file.docket))?;
        let mut kinds = Vec::new();
        for text in &self.kinds {
            kinds.push(AsChoice::parse(text).map_err(|why| bad(&BadSetting::new("as", text, why), None))?);
        }
        let edits = self.start_edits()?;
        let choices = choices(&settings, &kinds, &edits, docket.map(|file| &file.docket));
        let choices = choices.map(|(mut choices, lines)| {
            // What is typed counts before what the docket says.
            choices.layout.lines.splice(..0, self.lines_meant());
            (choices, lines)
        });
        choices.map_err(|wrong| {
            let is_dockets = settings.by("read", wrong.key) == Some(DecidedBy::Docket);
            let file = docket.filter(|_| is_dockets).map(|file| file.path.display().to_string());
            bad(&wrong, file.as_deref())
        })
    }

    /// The single changes to starts, from 0.
    fn start_edits(&self) -> Result<Vec<StartEdit>> {
        let place = |key: &'static str, n: usize| {
            n.checked_sub(1).ok_or_else(|| {
                bad(&BadSetting::new(key, &n.to_string(), "the first position of a line is 1"), None)
            })
        };
        let mut edits = Vec::new();
        for n in &self.add_start {
            edits.push(StartEdit::Add(place("add_start", *n)?));
        }
        for n in &self.drop_start {
            edits.push(StartEdit::Drop(place("drop_start", *n)?));
        }
        for text in &self.move_start {
            let wrong = || {
                bad(&BadSetting::new("move_start", text, "it is from where to where, such as 41:40"), None)
            };
            let (from, to) = text.split_once(':').ok_or_else(wrong)?;
            let number = |t: &str| t.trim().parse().map_err(|_| wrong());
            edits.push(StartEdit::Move(
                place("move_start", number(from)?)?,
                place("move_start", number(to)?)?,
            ));
        }
        Ok(edits)
    }

    /// Columns that get another name, and the name.
    ///
    /// # Errors
    /// Status 2 if one is not of the form OLD=NEW.
    pub(crate) fn renames(&self) -> Result<Vec<(Selector, String)>> {
        let rename = |text: &String| {
            let pair =
                text.split_once('=').filter(|(old, new)| !old.trim().is_empty() && !new.trim().is_empty());
            pair.map(|(old, new)| (Selector::new(old), new.trim().to_owned())).ok_or_else(|| {
                bad(&BadSetting::new("rename", text, "it is OLD=NEW, such as Berth=Quay"), None)
            })
        };
        self.rename.iter().map(rename).collect()
    }
}

impl Import {
    /// Where rows go, as far as it was typed.
    ///
    /// # Errors
    /// Status 2 if a list is none.
    pub(crate) fn place(&self) -> Result<Place> {
        let yes = |is_set: bool| is_set.then_some(true);
        Ok(Place {
            sheet: self.sheet.clone(),
            at: self.at.clone(),
            mode: self.mode.as_deref().and_then(Mode::from_word),
            matching: self.matching.as_deref().and_then(MatchBy::from_word),
            missing_columns: self.missing_columns.as_deref().and_then(MissingColumns::from_word),
            extra_columns: self.extra_columns.as_deref().and_then(ExtraColumns::from_word),
            plain: yes(self.plain),
            totals: yes(self.totals),
            source_column: self.source_column.clone(),
            number_column: self.number_column.clone(),
            key: list("key", self.key.as_deref())?,
            together: yes(self.together),
            strict: yes(self.strict),
            link: self.no_link.then_some(false).or(self.link.then_some(true)),
            name_case: self.name_case.as_deref().and_then(NameCase::from_word),
        })
    }
}

fn layout(word: &str) -> Option<LayoutKind> {
    let kinds = [LayoutKind::Delimited, LayoutKind::Fixed, LayoutKind::Multiline, LayoutKind::Report];
    kinds.into_iter().find(|kind| kind.word() == word)
}

fn line_or_word(text: &str) -> LineOrWord {
    text.parse().map_or_else(|_| LineOrWord::Word(text.to_owned()), LineOrWord::Number)
}

/// Reads a list, which is written as one record.
///
/// # Errors
/// Status 2 if it is none.
pub(crate) fn list(key: &'static str, text: Option<&str>) -> Result<Option<Vec<String>>> {
    let Some(text) = text else { return Ok(None) };
    let wrong = || -> Failure {
        bad(&BadSetting::new(key, text, "a list is one record, such as A,B,\"C, D\""), None)
    };
    read_list(text).map(Some).ok_or_else(wrong)
}

#[cfg(test)]
mod tests {
    use crate::flags::definitions::{Cli, Command};
    use clap::{CommandFactory, Parser};
    use incola_core::settings::{KEYS, table_of};
    use std::collections::BTreeSet;

    /// Options that no docket has: they are of one import alone, or say which docket.
    const TYPED_ONLY: [&str; 24] = [
        "follow",
        "fit_widths",
        "sources",
        "into",
        "rows",
        "dry_run",
        "even_signed",
        "no_questions",
        "json",
        "save_docket",
        "docket",
        "no_docket",
        "add_start",
        "drop_start",
        "move_start",
        "heading_line",
        "detail_line",
        "total_line",
        "kinds",
        "rename",
        "no_link",
        "again",
        "quiet",
        "even_protected",
    ];

    #[test]
    fn options_and_docket_keys_are_the_same() {
        let cli = Cli::command();
        let import = cli.find_subcommand("import").unwrap();
        let own: BTreeSet<String> = import
            .get_arguments()
            .map(|arg| arg.get_id().to_string().replace("matching", "match").replace("condition", "where"))
            .filter(|id| !TYPED_ONLY.contains(&id.as_str()) && id != "help")
            .collect();
        let keys: BTreeSet<String> = KEYS
            .iter()
            .filter(|key| matches!(key.part, "read" | "place"))
            .map(|key| key.name.to_owned())
            .collect();
        assert_eq!(own, keys);
    }

    #[test]
    fn the_printed_command_means_what_was_typed() {
        for typed in [
            "incola import a.csv --into b.xlsx",
            "incola import a.csv --into b.xlsx --link --fit-widths --follow",
            "incola import a.csv b.csv --into b.xlsx --key Call --no-link --together --strict",
            "incola import a.csv --into b.xlsx --sheet 'March calls' --mode append --missing-columns blank --extra-columns add",
            "incola import a.csv --into b.xlsx --only 'Call,2..5' --blank 'n/a,\"a, b\"' --names 'A,\"B, C\"' --runs-as-one no",
            "incola import a.txt --into b.xlsx --starts 1,9 --starts-in bytes --add-start 4 --move-start 9:8 --header 2 --survey 100",
            "incola import a.txt --into b.xlsx --as 'Berth=text' --rename Berth=Quay --decimal-char , --group-char . --no-docket",
            "incola import a.csv --into b.xlsx --divide 'Master=, ' --divide Code=starts:1,3 --where 'Dues > 100' --compute 'A=Dues * 2' --distinct 'Call,Berth' --distinct-stays last --by 'Berth,Arrived/month' --take 'COUNT(*), SUM(Dues)'",
            "incola import a.txt --into b.xlsx --headings 'Quay,Pilot' --carried first",
            "incola import a.txt --into b.xlsx --delimiter tab --quote \\' --double-quote no --comment '#' --blank-rows keep --name-case first --at A2",
        ] {
            let parse = |words: Vec<String>| match Cli::try_parse_from(words).unwrap().command {
                Command::Import(import) => import,
                _ => panic!("no import"),
            };
            let split = |line: &str| {
                let mut words = vec![String::new()];
                let (mut quoted, mut chars) = (false, line.chars());
                while let Some(c) = chars.next() {
                    match c {
                        '\'' => quoted = !quoted,
                        '\\' if !quoted => words.last_mut().unwrap().extend(chars.next()),
                        ' ' if !quoted => words.push(String::new()),
                        c => words.last_mut().unwrap().push(c),
                    }
                }
                words
            };
            let import = parse(split(typed));
            let again = parse(split(&crate::render::command::again(&import, &[])));
            let (a, b) = (&import, &again);
            assert_eq!(table_of(&a.place().unwrap()), table_of(&b.place().unwrap()), "{typed}");
            assert_eq!(a.read.reading().unwrap(), b.read.reading().unwrap(), "{typed}");
            assert_eq!((&a.sources, &a.into), (&b.sources, &b.into), "{typed}");
            assert_eq!((&a.read.kinds, &a.read.rename), (&b.read.kinds, &b.read.rename), "{typed}");
            assert_eq!((&a.read.add_start, &a.read.move_start), (&b.read.add_start, &b.read.move_start));
            assert_eq!((a.read.no_docket, &a.read.docket), (b.read.no_docket, &b.read.docket), "{typed}");
        }
    }

    #[test]
    fn mistakes_are_told_with_the_option() {
        for (words, word) in [
            ("--encoding runes", "--encoding runes"),
            ("--quote ab", "--quote ab"),
            ("--header 0", "--header 0"),
            ("--lines 9..3", "--lines 9..3"),
            ("--as Berth=money", "--as Berth=money"),
            ("--survey few", "--survey few"),
            ("--names A\nB", "--names A\nB"),
            ("--move-start 41", "--move-start 41"),
            ("--add-start 0", "--add-start 0"),
        ] {
            let line =
                ["incola", "import", "a.csv", "--into", "b.xlsx"].into_iter().chain(words.splitn(2, ' '));
            let Command::Import(import) = Cli::try_parse_from(line).unwrap().command else {
                panic!("no import")
            };
            let failure = import.read.choices(None).unwrap_err();
            assert!(failure.what.starts_with(word), "{}", failure.what);
            assert_eq!(failure.status as u8, 2);
        }
    }
}
