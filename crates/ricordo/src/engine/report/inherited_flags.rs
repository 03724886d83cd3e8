//! Flags that places inherit from what they lie in: whether they are relevant, and read-only.

use crate::tree::{Aspects, ChangeSet, PlaceId, Properties, Source, Tree};
use crate::value::{HashedMap, sort};

/// The properties of places, and the sources of their values, before they changed.
pub(in crate::engine) struct FlagsBefore<'a> {
    properties: HashedMap<PlaceId, &'a Properties>,
    sources: HashedMap<PlaceId, Option<Source>>,
}

impl<'a> FlagsBefore<'a> {
    /// Those that a transaction has changed; `None` if it has changed none.
    pub(in crate::engine) fn of(changes: &'a ChangeSet) -> Option<Self> {
        let of_places = changes.places().iter();
        let first = of_places.filter_map(|changed| Some((changed.place, changes.first_properties(changed)?)));
        let (properties, sources): (HashedMap<_, _>, _) = (first.collect(), changes.first_sources());
        let is_any = !properties.is_empty() || !sources.is_empty();
        is_any.then_some(FlagsBefore { properties, sources })
    }

    /// Returns whether a place was calculated, and whether it is.
    fn is_calculated(&self, tree: &Tree, place: PlaceId) -> (bool, bool) {
        let is = tree.is_calculated(place);
        (self.sources.get(&place).map_or(is, |before| *before == Some(Source::Calculated)), is)
    }
}

/// Finds the flags that differ: those of places whose properties changed, and of all places in them that
/// inherit them.
pub(in crate::engine) fn differing_flags(tree: &Tree, before: &FlagsBefore<'_>) -> Vec<(PlaceId, Aspects)> {
    let mut differing = Vec::new();
    let mut places: Vec<PlaceId> = before.properties.keys().chain(before.sources.keys()).copied().collect();
    // The maps have no order of their own; the outcome must not depend on it.
    sort(&mut places);
    places.dedup();
    for place in places {
        if let Some(source) = before.sources.get(&place) {
            let leads = [*source, tree.source(place)].map(|source| tree.leads_as(place, source));
            differing.extend((leads[0] != leads[1]).then_some((place, Aspects::LEADS)));
        }
        let around = tree.parent(place).map_or_else(Inherited::default, |parent| {
            tree.with_ancestors(parent)
                .fold(Inherited::default(), |inherited, place| inherited.with(tree, before, place))
        });
        if let Some(was) = before.properties.get(&place)
            && was.choices.as_ref() != tree.properties_of(place).and_then(|flags| flags.choices.as_ref())
        {
            differing.push((place, Aspects::CHOICES));
        }
        let now = tree.properties_of(place).cloned().unwrap_or_default();
        if let Some(was) = before.properties.get(&place)
            && was.differing(&now).contains(Aspects::FINDINGS)
        {
            differing.push((place, Aspects::FINDINGS));
        }
        let is_required = |flag: bool| tree.part(place).is_required() || flag;
        let was_required = before.properties.get(&place).is_some_and(|flags| flags.is_required);
        if before.properties.contains_key(&place) && is_required(was_required) != tree.is_required(place) {
            differing.push((place, Aspects::REQUIRED));
        }
        note(tree, before, place, around, &mut differing);
    }
    differing
}

/// The inherited flags of a place: before, and now.
#[derive(Clone, Copy, Default, PartialEq)]
struct Inherited {
    is_irrelevant: (bool, bool),
    is_readonly: (bool, bool),
}

impl Inherited {
    /// The same with what is said of a place itself.
    fn with(self, tree: &Tree, before: &FlagsBefore<'_>, place: PlaceId) -> Self {
        let now = tree.properties_of(place);
        let was = before.properties.get(&place).copied().or(now);
        let of = |flag: fn(&Properties) -> bool| (was.is_some_and(flag), now.is_some_and(flag));
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

/// Notes what differs for a place and all in it. A place without a difference passes none on to its contents.
fn note(
    tree: &Tree,
    before: &FlagsBefore<'_>,
    place: PlaceId,
    around: Inherited,
    differing: &mut Vec<(PlaceId, Aspects)>,
) {
    let own = around.with(tree, before, place);
    let mut aspects = Aspects::default();
    aspects.put(Aspects::RELEVANT, own.is_irrelevant.0 != own.is_irrelevant.1);
    // A person cannot change a calculated value anyway.
    let calculated = before.is_calculated(tree, place);
    let is_other = (own.is_readonly.0 || calculated.0) != (own.is_readonly.1 || calculated.1);
    aspects.put(Aspects::READONLY, is_other);
    if aspects.is_empty() {
        return;
    }
    differing.push((place, aspects));
    tree.below(place).into_iter().for_each(|child| note(tree, before, child, own, differing));
}
