//! Rebasing on a newer upstream record, and the conflicts that come of it.

use std::sync::Arc;

use crate::engine::actions::{
    Action, Alone, ConflictResolved, Content, Edit, EditKind, More, Needs, Performed, Sets,
};
use crate::engine::compiled_schema::CompiledSchema;
use crate::engine::report::Outcome;
use crate::engine::state::{ActionSummary, Address, Engine, Op};
use crate::schema::{Error, ErrorKind};
use crate::tree::{Conflict, FieldRef, ListBody, PlaceId, RowKey, Side, Source};
use crate::value::Value;

impl Action {
    /// The record has changed upstream, and this is what it is now, with all its members: it becomes the baseline. Places that are not
    /// dirty take its values; what the user has changed stays. A place that both changed differently is in [conflict](Conflict).
    /// Rows match by the key field of their list or, without one, by position. It is not an undo step, and undo goes back across it.
    pub fn rebase(value: Value) -> Self {
        static REBASE: Alone = Alone {
            op: Op::Rebase,
            carry_out: |engine, content| engine.rebase(content.value.take().unwrap_or_default()),
        };
        Action::alone(&REBASE, Content::of_value(value))
    }
}

impl Edit {
    /// The conflicts of a place, and of all in it, are resolved: the places have the values of this side then.
    pub fn resolve(at: Address, side: Side) -> Self {
        Edit::resolve_as(at, ConflictResolved { removed_row: None, is_alone: false, side })
    }

    /// The conflict of a place alone is resolved.
    pub fn resolve_alone(at: Address, side: Side) -> Self {
        Edit::resolve_as(at, ConflictResolved { removed_row: None, is_alone: true, side })
    }

    /// The conflict of a row is resolved that the user has removed from a list. The row is meant by its key.
    pub fn resolve_removed_row(list: Address, row: RowKey, side: Side) -> Self {
        Edit::resolve_as(list, ConflictResolved { removed_row: Some(row), is_alone: false, side })
    }

    pub(crate) fn resolve_as(at: Address, resolved: ConflictResolved) -> Self {
        static RESOLVE: EditKind =
            EditKind { op: Op::Resolve, perform: resolve, needs: Needs::Everything, sets: Sets::Nothing };
        Edit { kind: &RESOLVE, content: Content::at(at).with(More::Conflict(resolved)) }
    }
}

fn resolve(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    if let More::Conflict(resolved) = content.more {
        engine.resolve(content.place(), resolved)?;
    }
    Ok(Performed::of(engine, Op::Resolve, content))
}

impl Engine {
    /// A form with the value `to` and the baseline `from`, as if a user had edited one into the other. Rows match by the key field
    /// of their list or, without one, by position.
    ///
    /// ```
    /// use ricordo::engine::Engine;
    /// use ricordo::exchange::{read_data, read_definition};
    ///
    /// let schema = read_definition(r#"{"type": "object", "properties": {"rows": {"type": "array", "x-ricordo": {"key": "id"},
    ///     "items": {"type": "object", "properties": {"id": {"type": "integer"}, "name": {"type": "string"}}}}}}"#)?;
    /// let from = read_data(r#"{"rows": [{"id": 1, "name": "Rye"}, {"id": 2, "name": "Spelt"}]}"#, schema.schema())?;
    /// let to = read_data(r#"{"rows": [{"id": 2, "name": "Spelt"}]}"#, schema.schema())?;
    /// let form = Engine::between(&schema.into(), from, to)?;
    /// assert_eq!(form.json_patch().to_string(), r#"[{"op":"remove","path":"/rows/0"}]"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if one of the values does not fit the schema, or if the rules cannot settle.
    pub fn between(schema: &Arc<CompiledSchema>, from: Value, to: Value) -> Result<Engine, Error> {
        let mut form = Engine::new(schema, Some(to))?;
        let from = form.fitted(form.root(), from)?;
        form.settling.end_loading(&form.tree);
        form.tree.compare_with(from);
        form.settle_baseline_apart();
        form.settle_with_checks();
        form.report_answer(ActionSummary::default(), &[]);
        Ok(form)
    }

    /// The conflicts that are not resolved, in the order of the form. Secrets are not hidden in them.
    ///
    /// ```
    /// # use ricordo::engine::{Action, Edit, Engine};
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// engine.apply(Edit::enter(at.clone(), "24"))?;
    /// engine.apply(Action::rebase(ricordo::exchange::read_value(r#"{"loaves": 30}"#)?))?;
    /// assert_eq!(engine.conflicts()[0].pointer.as_str(), "/loaves");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn conflicts(&self) -> Vec<Conflict> {
        self.tree
            .conflicts_in(self.root())
            .into_iter()
            .filter_map(|place| self.tree.conflict(place))
            .collect()
    }

    /// Merges a newer upstream record under the user's changes, and settles what depends on it. It is not an
    /// undo step.
    fn rebase(&mut self, value: Value) -> Result<Outcome, Error> {
        let value = self.fitted(self.root(), value)?;
        let rebased = self.tree.rebase(value);
        self.submissions.note_upstream();
        self.take_suggested_as_loaded();
        self.settle_baseline_apart();
        self.settle_with_checks();
        self.settle_followers();
        Ok(self.report_answer(ActionSummary::bare(Op::Rebase), &[rebased]))
    }

    /// Treats upstream values of suggested fields as loaded: a value is an override only if it differs from the suggestion.
    pub(in crate::engine) fn take_suggested_as_loaded(&mut self) {
        // An error here, such as a cycle, comes up again when the form settles.
        let Some(graph) = self.settling.graph_mut() else { return };
        let _ = graph.take_in_changes(&mut self.tree);
        let is_loaded = |place: &PlaceId| {
            let overrides = |field: FieldRef<'_>| field.leads() && !field.value().is_empty();
            self.tree.source(*place) == Some(Source::Suggestion)
                && !self.tree.is_dirty(*place)
                && self.tree.is_there(*place)
                && self.tree.field(*place).is_some_and(overrides)
        };
        let loaded: Vec<PlaceId> = graph.places().filter(is_loaded).collect();
        loaded.into_iter().for_each(|place| graph.take_as_loaded(place));
    }

    /// Settles what follows a counterpart under another baseline: it keeps what was loaded as long as nothing that it depends on
    /// differs from the baseline.
    pub(in crate::engine) fn settle_followers(&mut self) {
        self.settling.end_loading(&self.tree);
        if self.settling.graph_mut().is_some_and(|graph| graph.trigger_followers(&self.tree)) {
            self.settle_with_checks();
        }
    }

    /// Resolves the conflicts in a place, or that of a row that was removed from a list.
    fn resolve(&mut self, at: &Address, resolved: ConflictResolved) -> Result<(), Error> {
        let ConflictResolved { removed_row, is_alone, side } = resolved;
        let place = self.present(at)?;
        let conflicts = match removed_row {
            Some(key) => vec![self.removed_row_in_conflict(place, key)?],
            None if is_alone => vec![place],
            None => self.tree.conflicts_in(place),
        };
        for conflict in conflicts {
            // The places in a resolved place are resolved with it.
            if !self.tree.is_in_conflict(conflict) {
                continue;
            }
            self.tree.set_conflict(conflict, None);
            if side == Side::Theirs {
                self.tree.take_theirs(conflict);
            }
        }
        Ok(())
    }

    fn removed_row_in_conflict(&self, list: PlaceId, key: RowKey) -> Result<PlaceId, Error> {
        let row = self.tree.list(list).and_then(|list| list.row_of_shown(key)).map(|row| row.place);
        row.filter(|row| self.tree.removed_row(*row).is_some() && self.tree.is_in_conflict(*row)).ok_or_else(
            || {
                let pointer = self.tree.pointer(list);
                let message = format!("no removed row with the key {key} is in conflict");
                Error::new(ErrorKind::NotFound, pointer, message)
            },
        )
    }

    /// The address of a conflict in an action.
    pub(crate) fn address_of_conflict(&self, conflict: &Conflict) -> (Address, Option<RowKey>) {
        match self.tree.removed_row(conflict.place) {
            Some((list, key)) => (list.into(), Some(ListBody::shown_key(key))),
            None => (conflict.place.into(), None),
        }
    }
}
