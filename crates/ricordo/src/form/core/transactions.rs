//! Transactions: all that a closure does, carried out wholly or not at all.

use std::rc::Rc;

use super::{Core, Queued, Waiting, finally};
use crate::engine::{Edit, Prepared};
use crate::schema::Error;

impl Core {
    /// Carries out all that a closure does as one transaction.
    pub(in crate::form) fn transaction<T, E: From<Error>>(
        self: &Rc<Self>,
        act: impl FnOnce() -> Result<T, E>,
    ) -> Result<T, E> {
        self.not_while_selecting()?;
        if self.is_notifying() {
            return self.gather(act);
        }
        if self.read_engine().is_open() {
            return self.nested(act);
        }
        self.changing()?.begin();
        self.with_recorder(|recorder| recorder.begin());
        // Unless it is committed, the transaction is taken back, also when the closure panics.
        let transaction = finally(|| {
            self.engine.borrow_mut().revert();
            self.with_recorder(|recorder| recorder.revert());
            self.withdraw_all();
        });
        let result = act()?;
        let link = self.current_link();
        let committed = match link {
            Some(_) => self.engine.borrow_mut().commit_response(),
            None => self.engine.borrow_mut().commit(),
        };
        let outcome = committed?;
        self.with_recorder(|recorder| recorder.commit(link.is_some()));
        drop(transaction);
        if !outcome.observers().is_empty() {
            self.notify_all(outcome, link.as_ref())?;
        }
        self.hand_out();
        Ok(result)
    }

    /// Carries out all that a closure does within an open transaction: unless it succeeds, that is taken back, also if the
    /// open transaction goes on.
    fn nested<T, E: From<Error>>(&self, act: impl FnOnce() -> Result<T, E>) -> Result<T, E> {
        let savepoint = self.changing()?.savepoint()?;
        let lines = self.with_recorder(|recorder| recorder.gathered());
        let transaction = finally(|| {
            self.engine.borrow_mut().return_to(savepoint);
            self.with_recorder(|recorder| recorder.return_to(lines.unwrap_or_default()));
        });
        let result = act()?;
        transaction.forget();
        Ok(result)
    }

    /// Takes note of all that a closure does, as one action for after the round. If it fails, what it did is forgotten.
    fn gather<T, E>(self: &Rc<Self>, act: impl FnOnce() -> Result<T, E>) -> Result<T, E> {
        let outer = self.gathered.borrow().as_ref().map(|(actions, rows)| (actions.len(), rows.len()));
        if let Some((actions, rows)) = outer {
            let transaction = finally(|| {
                let mut gathered = self.gathered.borrow_mut();
                let forgotten = gathered.as_mut().map(|gathered| {
                    gathered.0.truncate(actions);
                    gathered.1.split_off(rows)
                });
                if let (Some(rows), Ok(mut engine)) = (forgotten, self.engine.try_borrow_mut()) {
                    engine.discard_prepared(rows);
                }
            });
            let result = act()?;
            transaction.forget();
            return Ok(result);
        }
        *self.gathered.borrow_mut() = Some((Vec::new(), Prepared::new()));
        // Unless it is taken, what was gathered is forgotten, also when the closure panics.
        let gathering = finally(|| {
            if let (Some((_, rows)), Ok(mut engine)) = (self.gathered.take(), self.engine.try_borrow_mut()) {
                engine.discard_prepared(rows);
            }
        });
        let result = act()?;
        let (edits, rows) = self.gathered.take().unwrap_or_default();
        drop(gathering);
        let what = Waiting::Action(Edit::group(edits).into(), rows);
        let chain = self.round.get().unwrap_or_default() + 1;
        let link = self.current_link();
        self.queue.borrow_mut().push_back(Queued { what, chain, link });
        Ok(result)
    }
}
