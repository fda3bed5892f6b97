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
    ];
    for block in pages.iter().flat_map(|page| page.split("```text\n").skip(1)) {
        let block = block.split("```").next().unwrap();
        assert!(run.out.contains(block), "a page shows what the demo does not print:\n{block}");
    }
    assert!(folder.path("quay/harbour.xlsx").exists());
}
