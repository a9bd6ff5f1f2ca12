//! Panics: they are bugs of this tool, and must end neither a server nor a watcher nor an editor session.

use std::panic::{AssertUnwindSafe, catch_unwind};

/// Runs a closure. If it panics, returns the message for the user. State that the closure was changing must stay usable.
pub(crate) fn guarded<T>(what: &str, run: impl FnOnce() -> T) -> Result<T, String> {
    catch_unwind(AssertUnwindSafe(run)).map_err(|panic| {
        let text = panic.downcast_ref::<&str>().copied().or_else(|| panic.downcast_ref::<String>().map(String::as_str));
        let reason = text.unwrap_or("for no known reason");
        let issues = concat!(env!("CARGO_PKG_REPOSITORY"), "/issues");
        format!("{what} failed: {reason}; this is a mistake in vivid-lane, please send it with the table to {issues}")
    })
}

#[cfg(test)]
mod tests {
    use super::guarded;

    #[test]
    fn a_panic_is_told_and_ends_nothing() {
        assert_eq!(guarded("looking", || 7), Ok(7));
        let message = guarded("reading routes.toml", || Vec::<u8>::new()[3]).expect_err("it panics");
        assert!(message.starts_with("reading routes.toml failed: index out of bounds"), "{message}");
        assert!(message.ends_with("/issues"), "{message}");
    }
}
