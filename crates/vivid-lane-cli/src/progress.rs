//! A sign of life for work that may take long.

/// Does some work. If it takes more than a second and a person looks on, what is done and for how long is shown until it is done.
#[cfg(not(target_family = "wasm"))]
pub(crate) fn during<T>(what: &'static str, work: impl FnOnce() -> T) -> T {
    use std::io::IsTerminal;
    use std::sync::mpsc::{RecvTimeoutError, channel};
    use std::time::Duration;

    use indicatif::{ProgressBar, ProgressStyle};

    if !std::io::stderr().is_terminal() {
        return work();
    }
    let (done, wait) = channel::<()>();
    std::thread::scope(|scope| {
        scope.spawn(move || {
            if wait.recv_timeout(Duration::from_secs(1)) != Err(RecvTimeoutError::Timeout) {
                return;
            }
            let style = ProgressStyle::with_template("{spinner} {msg}  {elapsed}");
            let bar = ProgressBar::new_spinner().with_style(style.unwrap_or_else(|_| ProgressStyle::default_spinner()));
            let bar = bar.with_elapsed(Duration::from_secs(1));
            bar.set_message(what);
            bar.enable_steady_tick(Duration::from_millis(120));
            // Until the other end is gone, also where the work broke down.
            let _ = wait.recv();
            bar.finish_and_clear();
        });
        let result = work();
        drop(done);
        result
    })
}

#[cfg(target_family = "wasm")]
pub(crate) fn during<T>(_: &'static str, work: impl FnOnce() -> T) -> T {
    work()
}
