//! The cases of the languages, run through the engine within the test. The program's own tests run them once more through
//! the program, and undo them.

use testkit::{Case, folders};

#[test]
fn hold() {
    let wrong: Vec<String> =
        folders("emendo-languages").iter().filter_map(|f| f.run(Case::try_out).err()).collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
