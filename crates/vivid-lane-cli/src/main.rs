//! `vivid-lane`: check, try and link a route table from the command line.

use std::process::ExitCode;

use vivid_lane_cli::system::Local;

fn main() -> ExitCode {
    vivid_lane_cli::complete();
    // Not locked: a server writes to it from a thread of its own.
    let mut out = anstream::stdout();
    let mut err = anstream::stderr();
    let ended = vivid_lane_cli::call(std::env::args_os(), None, &Local, &mut out, &mut err);
    #[cfg(feature = "serve")]
    if let Some(repeating) = ended.repeating {
        return ExitCode::from(vivid_lane_cli::repeat(repeating));
    }
    ExitCode::from(ended.status)
}
