//! Members of types as they are declared.

use std::collections::HashMap;
use std::sync::Arc;

use emendo_text::RelPath;

use crate::ground::Certainty;
use crate::ty::Ty;

/// A parameter.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Takes {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its type.
    pub ty: Ty,
    /// It may be left out.
    pub optional: bool,
    /// It takes all that are left.
    pub rest: bool,
    /// It sets the member of its name.
    pub sets: bool,
}

/// A member as it is declared: one overload.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MemberType {
    /// What it takes; `None` where it is read.
    pub params: Option<Vec<Takes>>,
    /// What it gives.
    pub gives: Ty,
    /// What a closure that it takes is called with.
    pub lambda: Vec<Ty>,
    /// How sure that is.
    pub says: Certainty,
    /// The file and line of its declaration, in another file.
    pub place: Option<(RelPath, u32)>,
    /// What it takes as it is declared, before parameters of types stood for anything.
    pub plain: Option<Arc<[Takes]>>,
}

impl MemberType {
    /// One that is read: no function.
    pub(crate) const fn read(gives: Ty, says: Certainty) -> Self {
        Self { params: None, gives, lambda: Vec::new(), says, place: None, plain: None }
    }
}

/// A member that was found.
#[derive(Clone, Debug)]
pub(crate) struct Known {
    /// Its overloads.
    pub(crate) all: Vec<MemberType>,
    pub(crate) says: Certainty,
    /// The type that declares it.
    pub(crate) owner: String,
}

/// What is known of a type besides its members.
#[derive(Clone, Debug, Default)]
pub struct Shape {
    /// The names of its parameters.
    pub params: Vec<String>,
    /// The types that it is built on.
    pub extends: Vec<Ty>,
    /// The type that it is another name for.
    pub alias: Option<Ty>,
    /// It is declared, and not only added to.
    pub declared: bool,
}

impl MemberType {
    /// The member as a value.
    pub(crate) fn as_function(&self) -> Ty {
        let params = self.params.iter().flatten().map(|p| p.ty.clone()).collect();
        Ty::Function { params, gives: Box::new(self.gives.clone()) }
    }

    pub(crate) fn filled(&self, given: &HashMap<String, Ty>, itself: &Ty) -> Self {
        let fill = |t: &Ty| t.filled(given, Some(itself));
        let takes = |p: &Takes| Takes { ty: fill(&p.ty), ..p.clone() };
        Self {
            params: self.params.as_ref().map(|all| all.iter().map(takes).collect()),
            gives: fill(&self.gives),
            lambda: self.lambda.iter().map(fill).collect(),
            plain: self.plain.clone().or_else(|| self.params.as_deref().map(Arc::from)),
            ..self.clone()
        }
    }

    /// What it takes as it is declared.
    pub(crate) fn plain_params(&self) -> &[Takes] {
        self.plain.as_deref().or(self.params.as_deref()).unwrap_or(&[])
    }

    /// The parameters of types that nothing stands for, in the order in which they are met.
    pub(crate) fn open_params(&self, given: &HashMap<String, Ty>) -> Vec<String> {
        let mut out = Vec::new();
        let all = self.params.iter().flatten().map(|p| &p.ty).chain([&self.gives]);
        all.for_each(|t| t.params_in(&mut out));
        out.retain(|p| !given.contains_key(p));
        out
    }

    /// True if it may be called with so many arguments.
    pub(crate) fn takes(&self, count: usize) -> bool {
        let Some(params) = &self.params else { return true };
        let least = params.iter().filter(|p| !p.optional && !p.rest).count();
        count >= least && (count <= params.len() || params.iter().any(|p| p.rest))
    }
}
