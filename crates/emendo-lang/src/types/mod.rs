//! Static types of expressions, as far as declarations tell.
//!
//! a language's table (`typing.rs` in its folder, its shapes in `language/typing.rs`) says what each kind of expression
//! gives and what introduces names; its `.types` file lists what its own library's types give, in the notation of library
//! types (`ty/library.rs`). `types/infer.rs` types an expression, node by node and only where it is asked; `variables.rs`
//! a name, `narrowing.rs` what tests and assignments around a use say of it; `members.rs` members of types, `shapes.rs`
//! what types are built on and whether one fits another; `calls/` calls and overloads; `expected/` what is expected where an
//! argument, an item or a result stands. Other files are read when a type in them is asked for (`index/asked.rs`); what is being worked out
//! travels with the question (`Trail` in `project.rs`).

mod calls;
mod expected;
mod infer;
mod members;
mod pairs;
mod params;
mod places;
mod results;
mod shapes;
mod sites;
pub(crate) mod variables;
mod waits;

pub(crate) use crate::types::calls::plain_path;
pub use crate::types::calls::{Label, Overload, Wanted};
pub use crate::types::expected::Expected;
pub use crate::types::pairs::PairSite;
pub use crate::types::places::{CallPlace, Callee, FunctionTypeSite, MacroSite, TakenSite};
pub use crate::types::sites::{ArgumentSite, CallSite, FunctionSite, LeaveSite, ParamSite};
pub use crate::types::waits::{Home, WaitHead, WaitSite};
