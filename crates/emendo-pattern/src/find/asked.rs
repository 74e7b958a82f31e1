//! What a match must fulfil besides its pattern.

use crate::model::Pattern;

/// Patterns of which any group must fit: all patterns of the group.
pub type Groups = Vec<Vec<Pattern>>;

/// What a match must fulfil besides its pattern.
#[derive(Debug, Default)]
pub struct Conditions {
    /// Any of these stands around it.
    pub surrounded_by: Groups,
    /// None of these does.
    pub not_surrounded_by: Groups,
    /// Any of these stands in it.
    pub holding: Groups,
    /// None of these does.
    pub not_holding: Groups,
    /// Its value is not used.
    pub unused: bool,
    /// What slots must fulfil, whichever pattern of the action binds them.
    pub slots: Vec<SlotConditions>,
}

/// What a slot must fulfil once all of the pattern fits.
#[derive(Debug, Default)]
pub struct SlotConditions {
    /// The slot.
    pub slot: String,
    /// Any of these fits it; its slots are shared with the match.
    pub is: Groups,
    /// Any of these stands in it.
    pub holding: Groups,
    /// None of these does.
    pub not_holding: Groups,
    /// Any of these stands in the declaration of its name.
    pub defined_with: Groups,
    /// What calls pass for the parameter that it holds.
    pub passed: PassedConditions,
}

impl SlotConditions {
    /// True if there is nothing to fulfil.
    pub fn is_empty(&self) -> bool {
        [&self.is, &self.holding, &self.not_holding, &self.defined_with]
            .iter()
            .all(|g| g.is_empty())
            && self.passed.is_empty()
    }
}

/// Which of the known calls give an argument.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Passed {
    /// All.
    Always,
    /// Some, and some do not.
    Sometimes,
    /// None.
    Never,
}

/// What is asked of the calls of the function whose parameter a slot holds.
#[derive(Debug, Default)]
pub struct PassedConditions {
    /// How many of them give an argument.
    pub when: Option<Passed>,
    /// Each argument fits any of these.
    pub fits: Groups,
    /// No argument fits any of these.
    pub fits_not: Groups,
}

impl PassedConditions {
    /// True if nothing is asked.
    pub fn is_empty(&self) -> bool {
        self.when.is_none() && self.fits.is_empty() && self.fits_not.is_empty()
    }
}

impl Conditions {
    /// True if there is nothing to fulfil.
    pub fn is_empty(&self) -> bool {
        !self.unused
            && self.slots.is_empty()
            && [&self.surrounded_by, &self.not_surrounded_by, &self.holding, &self.not_holding]
                .iter()
                .all(|p| p.is_empty())
    }

    /// The patterns that must fit somewhere: what they name and bind counts for the match.
    pub fn positive(&self) -> impl Iterator<Item = &Pattern> {
        let slots =
            self.slots.iter().flat_map(|s| s.is.iter().chain(&s.holding).chain(&s.defined_with));
        self.surrounded_by.iter().chain(&self.holding).chain(slots).flatten()
    }

    /// True if what must fit somewhere names a symbol or a type.
    pub fn names_any(&self) -> bool {
        self.positive().any(Pattern::names_any)
    }

    /// True if other files are asked what they hold by then.
    pub fn asks_files(&self) -> bool {
        self.slots.iter().any(|s| !s.passed.is_empty() || !s.defined_with.is_empty())
    }
}
