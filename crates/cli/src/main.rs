//! The program: flags in, sources read, workbooks written, exit status out.

mod book_file;
mod bridge;
mod commands;
mod docket;
mod exit_code;
mod failure;
mod flags;
mod folder;
mod interrupt;
mod links;
mod output;
mod passes;
mod placeholders;
mod placing;
mod progress;
mod questions;
mod receipt;
mod refresh;
mod render;
mod run;
mod safety;
mod source;
mod stand_in;
mod target;
mod web;

fn main() -> std::process::ExitCode {
    run::run(std::env::args_os()).into()
}
