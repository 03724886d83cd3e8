//! When to act on changes that go on: after a pause, or at the latest after a while.

use std::time::Duration;

/// The changes of a form as somebody sees them who looks now and then.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Pace {
    /// The revision of the form that was seen last, and when it was first seen.
    seen: Option<(u64, Duration)>,
    /// When the first change was seen that was not acted on.
    since: Option<Duration>,
}

impl Pace {
    /// Takes in which revision the form has now.
    pub(super) fn see(&mut self, revision: u64, now: Duration) {
        if self.seen.is_none_or(|(seen, _)| seen != revision) {
            self.seen = Some((revision, now));
        }
    }

    /// When to act: after a pause since the last change, or at the latest after this wait since the first.
    pub(super) fn due(&mut self, now: Duration, pause: Duration, longest_wait: Option<Duration>) -> Duration {
        let changed_at = self.seen.map_or(now, |(_, at)| at);
        let since = *self.since.get_or_insert(changed_at);
        let due = changed_at.saturating_add(pause);
        longest_wait.map_or(due, |wait| due.min(since.saturating_add(wait)))
    }

    /// Takes in that there is nothing to act on, or that it was acted on.
    pub(super) fn rest(&mut self) {
        self.since = None;
    }
}

/// Returns the time until a moment; `None` if it has come.
pub(super) fn until(due: Duration, now: Duration) -> Option<Duration> {
    due.checked_sub(now).filter(|wait| !wait.is_zero())
}
