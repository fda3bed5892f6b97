//! What the README and the pages of docs/ show is what the program prints.

use crate::support::Folder;

#[test]
fn the_demo_runs_and_the_readme_shows_its_output() {
    let folder = Folder::new();
    let run = folder.run("demo quay").expect(0);
    let pages = [
        include_str!("../../../../README.md"),
        include_str!("../../../../docs/look.md"),
        include_str!("../../../../docs/place.md"),
        include_str!("../../../../docs/check.md"),
        include_str!("../../../../docs/keep.md"),
        include_str!("../../../../docs/refresh.md"),
        include_str!("../../../../docs/shaping.md"),
    ];
    for block in pages.iter().flat_map(|page| page.split("```text\n").skip(1)) {
        let block = block.split("```").next().unwrap();
        assert!(run.out.contains(block), "a page shows what the demo does not print:\n{block}");
    }
    assert!(folder.path("quay/harbour.xlsx").exists());
}

#[test]
fn the_recipes_work_on_the_demos_files() {
    let folder = Folder::new();
    folder.run("demo quay").expect(0);
    // The files as they came, without what the demo made of them.
    let demo = std::path::Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/demo"));
    std::fs::create_dir(folder.path("carriers")).unwrap();
    for part in ["", "carriers"] {
        for entry in std::fs::read_dir(demo.join(part)).unwrap() {
            let entry = entry.unwrap();
            if entry.file_type().unwrap().is_file() {
                std::fs::copy(entry.path(), folder.path(part).join(entry.file_name())).unwrap();
            }
        }
    }
    let recipes = include_str!("../../../../docs/recipes.md");
    let commands: Vec<&str> =
        recipes.split("```sh\n").skip(1).map(|block| block.split("\n```").next().unwrap()).collect();
    assert!(commands.len() >= 20);
    for command in commands {
        let run = folder.run(command.strip_prefix("incola ").unwrap());
        assert!(run.status <= 1, "{command}: status {}\n{}{}", run.status, run.out, run.err);
    }
}
