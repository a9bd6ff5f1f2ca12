//! Mistakes of our own: where one panics, a server, a watcher or an editor goes on with what it had.

use std::panic::{AssertUnwindSafe, catch_unwind};

/// Does something; where it panics, what the user is told. What it was about to change is to be used again only where it is whole.
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
        let told = guarded("reading routes.toml", || Vec::<u8>::new()[3]).expect_err("it panics");
        assert!(told.starts_with("reading routes.toml failed: index out of bounds"), "{told}");
        assert!(told.ends_with("/issues"), "{told}");
    }
}
