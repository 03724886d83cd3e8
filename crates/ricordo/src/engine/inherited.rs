//! Flags that places inherit from what they lie in: whether they are relevant, and read-only.

use rustc_hash::FxHashMap;

use crate::settle::Aspects;
use crate::tree::{Body, PlaceId, Ruled, Standing, Tree};
use crate::value::sort;

/// What followed for places from others before that changed.
pub(super) struct WereRuled<'a> {
    pub(super) flags: FxHashMap<PlaceId, &'a Ruled>,
    pub(super) standings: FxHashMap<PlaceId, Option<Standing>>,
}

impl WereRuled<'_> {
    /// Whether a place was calculated, and whether it is.
    fn is_calculated(&self, tree: &Tree, place: PlaceId) -> (bool, bool) {
        let is = tree.is_calculated(place);
        (self.standings.get(&place).map_or(is, |before| *before == Some(Standing::Calculated)), is)
    }
}

/// Which flags differ from what they were: of places for which something else followed before, and of all in them that
/// inherit them.
pub(super) fn differing_flags(tree: &Tree, before: &WereRuled<'_>) -> Vec<(PlaceId, Aspects)> {
    let mut differing = Vec::new();
    let mut places: Vec<PlaceId> = before.flags.keys().chain(before.standings.keys()).copied().collect();
    // The maps have no order of their own; what is told must not depend on it.
    sort(&mut places);
    places.dedup();
    for place in places {
        if let Some(standing) = before.standings.get(&place) {
            let leads = [*standing, tree.standing(place)].map(|standing| tree.leads_as(place, standing));
            differing.extend((leads[0] != leads[1]).then_some((place, Aspects::DRIVER)));
        }
        let around = tree.parent(place).map_or_else(Inherited::default, |parent| {
            std::iter::successors(Some(parent), |place| tree.parent(*place))
                .fold(Inherited::default(), |inherited, place| inherited.with(tree, before, place))
        });
        if let Some(was) = before.flags.get(&place)
            && was.choices.as_ref() != tree.flags_of(place).and_then(|flags| flags.choices.as_ref())
        {
            differing.push((place, Aspects::CHOICES));
        }
        let is_required = |flag: bool| tree.part(place).is_required() || flag;
        let was_required = before.flags.get(&place).is_some_and(|flags| flags.is_required);
        if before.flags.contains_key(&place) && is_required(was_required) != tree.is_required(place) {
            differing.push((place, Aspects::REQUIRED));
        }
        note(tree, before, place, around, &mut differing);
    }
    differing
}

/// What a place inherits: before, and now.
#[derive(Clone, Copy, Default, PartialEq)]
struct Inherited {
    is_irrelevant: (bool, bool),
    is_readonly: (bool, bool),
}

impl Inherited {
    /// The same with what is said of a place itself.
    fn with(self, tree: &Tree, before: &WereRuled<'_>, place: PlaceId) -> Self {
        let now = tree.flags_of(place);
        let was = before.flags.get(&place).copied().or(now);
        let of = |flag: fn(&Ruled) -> bool| (was.is_some_and(flag), now.is_some_and(flag));
        let (irrelevant, readonly) = (of(|flags| flags.is_irrelevant), of(|flags| flags.is_readonly));
        let always = tree.part(place).readonly;
        Inherited {
            is_irrelevant: (self.is_irrelevant.0 || irrelevant.0, self.is_irrelevant.1 || irrelevant.1),
            is_readonly: (
                self.is_readonly.0 || readonly.0 || always,
                self.is_readonly.1 || readonly.1 || always,
            ),
        }
    }
}

/// Notes what differs for a place and all in it. Where nothing differs, nothing that it contains inherits anything else.
fn note(
    tree: &Tree,
    before: &WereRuled<'_>,
    place: PlaceId,
    around: Inherited,
    differing: &mut Vec<(PlaceId, Aspects)>,
) {
    let own = around.with(tree, before, place);
    let mut aspects = Aspects::default();
    aspects.put(Aspects::RELEVANT, own.is_irrelevant.0 != own.is_irrelevant.1);
    // What is calculated is not for a person to change anyway.
    let calculated = before.is_calculated(tree, place);
    let is_other = (own.is_readonly.0 || calculated.0) != (own.is_readonly.1 || calculated.1);
    aspects.put(Aspects::READONLY, is_other);
    if aspects.is_empty() {
        return;
    }
    differing.push((place, aspects));
    match &tree.node(place).body {
        Body::Record(record) if record.container.is_present() => {
            record.children.iter().for_each(|child| note(tree, before, *child, own, differing));
        }
        Body::Field(_) | Body::Record(_) => {}
        Body::List(_) => {
            tree.rows(place).into_iter().for_each(|row| note(tree, before, row, own, differing));
        }
    }
}
