//! Picks the command, and is the one place that turns a failure into words and a status.

use crate::commands;
use crate::exit_code::ExitCode;
use crate::failure::Failure;
use crate::flags::definitions::{Cli, Command};
use crate::flags::meant;
use crate::interrupt;
use crate::output::{print, report};
use crate::render::sanitize::lines;
use clap::{CommandFactory, Parser};
use std::ffi::OsString;
use std::io;

/// Runs the program with these arguments.
pub(crate) fn run(args: impl IntoIterator<Item = OsString>) -> ExitCode {
    let args: Vec<OsString> = args.into_iter().collect();
    if let Some(failure) = meant::instead(&args) {
        report(&failure);
        return failure.status;
    }
    if let Some(name) = args.iter().find(|arg| arg.to_str().is_none()) {
        let name = name.to_string_lossy();
        report(
            &Failure::usage(format!("{name}: this name is not UTF-8, and cannot be typed or told"))
                .leaving("nothing was read")
                .help("rename the file, or name the folder that it is in"),
        );
        return ExitCode::Usage;
    }
    let has_controls = args.iter().any(|arg| arg.to_string_lossy().contains(char::is_control));
    let cli = match Cli::try_parse_from(args) {
        Ok(cli) => cli,
        Err(error) => {
            let code = if error.use_stderr() { ExitCode::Usage } else { ExitCode::Done };
            if has_controls {
                // What was typed is told, and must not command the terminal.
                let text = lines(&error.render().to_string());
                let _ = io::Write::write_all(&mut io::stderr(), text.as_bytes());
            } else {
                let _ = error.print();
            }
            return code;
        }
    };
    match cli.color.as_deref() {
        Some("always") => anstream::ColorChoice::Always.write_global(),
        Some("never") => anstream::ColorChoice::Never.write_global(),
        _ => {}
    }
    interrupt::listen();
    let done = match cli.command {
        Command::Inspect(options) => commands::inspect::run(&options),
        Command::Import(options) => commands::import::run(&options),
        Command::Tally(options) => commands::tally::run(&options),
        Command::Divide(options) => commands::divide::run(&options),
        Command::Export(options) => commands::export::run(&options),
        Command::Docket(options) => commands::docket::run(&options.action),
        Command::Refresh(options) => commands::refresh::run(&options),
        Command::Link(options) => commands::link::run(&options.action),
        Command::Watch(options) => commands::watch::run(&options),
        Command::Undo(options) => commands::undo::run(&options),
        Command::Recent(options) => commands::recent::run(&options),
        Command::State(options) => commands::state::run(&options),
        Command::Demo(options) => commands::demo::run(&options),
        Command::Completions(options) => {
            let mut script = Vec::new();
            clap_complete::generate(options.shell, &mut Cli::command(), "incola", &mut script);
            print(&String::from_utf8_lossy(&script)).map(|()| ExitCode::Done)
        }
        Command::Manual => manual().and_then(|page| print(&page)).map(|()| ExitCode::Done),
    };
    match done {
        Ok(code) => code,
        Err(failure) => {
            report(&failure);
            failure.status
        }
    }
}

/// The manual page: the program, then each command.
fn manual() -> Result<String, Failure> {
    let mut page = Vec::new();
    let failed =
        |error: io::Error| Failure::unreadable(format!("the manual page cannot be written: {error}"));
    let cli = Cli::command();
    clap_mangen::Man::new(cli.clone()).render(&mut page).map_err(failed)?;
    for command in cli.get_subcommands() {
        let name = format!("incola {}", command.get_name());
        let man = clap_mangen::Man::new(command.clone().name(name).disable_help_flag(true));
        man.render_description_section(&mut page).map_err(failed)?;
        man.render_synopsis_section(&mut page).map_err(failed)?;
        man.render_options_section(&mut page).map_err(failed)?;
    }
    Ok(String::from_utf8_lossy(&page).into_owned())
}
