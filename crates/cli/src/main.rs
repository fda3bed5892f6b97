//! The program: flags in, sources read, workbooks written, exit status out.

mod commands;
mod docket;
mod exit_code;
mod failure;
mod flags;
mod interrupt;
mod io;
mod links;
mod output;
mod placeholders;
mod progress;
mod questions;
mod receipt;
mod render;
mod run;
mod state;
#[cfg(test)]
mod trial;
mod wording;

fn main() -> std::process::ExitCode {
    run::run(std::env::args_os()).into()
}
