//! What the README shows is what the program prints.

use crate::support::Folder;

#[test]
fn the_demo_runs_and_the_readme_shows_its_output() {
    let folder = Folder::new();
    let run = folder.run("demo quay").expect(0);
    let readme = include_str!("../../../../README.md");
    for block in readme.split("```text\n").skip(1) {
        let block = block.split("```").next().unwrap();
        assert!(run.out.contains(block), "the README shows what the demo does not print:\n{block}");
    }
    assert!(folder.path("quay/harbour.xlsx").exists());
}
