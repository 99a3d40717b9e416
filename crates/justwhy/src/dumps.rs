//! Core dumps: none is written while there may be secrets in memory. A program that is launched gets back
//! what was allowed before.

#[cfg(unix)]
mod system {
    use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
    use std::sync::OnceLock;

    static BEFORE: OnceLock<Rlimit> = OnceLock::new();

    pub(super) fn leave_out() {
        let before = getrlimit(Resource::Core);
        // Only what is allowed at the moment: the rest can be had back.
        if setrlimit(Resource::Core, Rlimit { current: Some(0), ..before }).is_ok() {
            let _ = BEFORE.set(before);
        }
    }

    pub(super) fn allow_again() {
        if let Some(before) = BEFORE.get() {
            let _ = setrlimit(Resource::Core, *before);
        }
    }
}

#[cfg(not(unix))]
mod system {
    pub(super) fn leave_out() {}

    pub(super) fn allow_again() {}
}

/// Lets no core dump be written from now on.
pub(crate) fn leave_out() {
    system::leave_out();
}

/// Lets core dumps be written as before.
pub(crate) fn allow_again() {
    system::allow_again();
}
