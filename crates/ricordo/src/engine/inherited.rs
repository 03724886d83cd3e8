//! Flags that places inherit from what they lie in: whether they are relevant, and read-only.

use rustc_hash::FxHashMap;

use crate::settle::Aspects;
use crate::tree::{Body, PlaceId, Ruled, Tree};

/// Which flags differ from what they were, given what followed for places from others before: of these places, and of
/// all in them that inherit them.
pub(super) fn differing_flags(tree: &Tree, before: &FxHashMap<PlaceId, &Ruled>) -> Vec<(PlaceId, Aspects)> {
    let mut differing = Vec::new();
    let mut places: Vec<PlaceId> = before.keys().copied().collect();
    // The map has no order of its own; what is told must not depend on it.
    places.sort_unstable();
    for place in places {
        let around = tree.parent(place).map_or_else(Inherited::default, |parent| {
            std::iter::successors(Some(parent), |place| tree.parent(*place))
                .fold(Inherited::default(), |inherited, place| inherited.with(tree, before, place))
        });
        let is_required = |flag: bool| tree.part(place).is_required() || flag;
        let was_required = before.get(&place).is_some_and(|flags| flags.is_required);
        if is_required(was_required) != tree.is_required(place) {
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
    fn with(self, tree: &Tree, before: &FxHashMap<PlaceId, &Ruled>, place: PlaceId) -> Self {
        let now = tree.flags_of(place);
        let was = before.get(&place).copied().or(now);
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
    before: &FxHashMap<PlaceId, &Ruled>,
    place: PlaceId,
    around: Inherited,
    differing: &mut Vec<(PlaceId, Aspects)>,
) {
    let own = around.with(tree, before, place);
    let mut aspects = Aspects::default();
    aspects.put(Aspects::RELEVANT, own.is_irrelevant.0 != own.is_irrelevant.1);
    // What is calculated is not for a person to change anyway.
    let is_other = own.is_readonly.0 != own.is_readonly.1 && !tree.is_calculated(place);
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
