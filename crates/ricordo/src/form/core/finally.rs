//! Cleaning up on every way out of a function.

/// Does something when it is dropped, also when that is because of a panic.
pub(in crate::form) struct Finally<F: FnOnce()>(Option<F>);

/// Does something when the value that it returns is dropped.
pub(in crate::form) fn finally<F: FnOnce()>(act: F) -> Finally<F> {
    Finally(Some(act))
}

impl<F: FnOnce()> Finally<F> {
    /// Does nothing: all went well.
    pub(in crate::form) fn forget(mut self) {
        self.0 = None;
    }
}

impl<F: FnOnce()> Drop for Finally<F> {
    fn drop(&mut self) {
        if let Some(act) = self.0.take() {
            act();
        }
    }
}
