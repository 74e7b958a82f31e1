//! Static types of expressions, as far as declarations tell.

mod calls;
mod expected;
mod infer;
mod members;
mod narrowing;
mod pairs;
mod places;
mod results;
mod shapes;
mod sites;
mod variables;
mod waits;

pub use crate::types::calls::Overload;
pub(crate) use crate::types::calls::plain_path;
pub use crate::types::expected::Expected;
pub use crate::types::pairs::PairSite;
pub use crate::types::places::{CallPlace, Callee, FunctionTypeSite, MacroSite, TakenSite};
pub use crate::types::sites::{ArgumentSite, CallSite, FunctionSite, LeaveSite, ParamSite};
pub use crate::types::waits::{Home, WaitHead, WaitSite};
