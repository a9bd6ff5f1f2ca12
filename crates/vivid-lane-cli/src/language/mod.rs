//! `language-server`: a table in an editor, by the Language Server Protocol 3.17 over standard streams.
//!
//! Each open file is read together with the table that it belongs to: the nearest `routes.toml` above it that includes it, or itself. After each
//! edit that table is reviewed, and its findings go to the editor; everything else is answered from the names of the text as it is
//! now, and from the last table that could be built.

mod answers;
mod desk;
mod edits;
mod mends;
mod rename;
mod text;

use std::path::PathBuf;

use lsp_server::{Connection, ErrorCode, Message, Notification, Request, Response};
use serde_json::{Value as Json, json};
use vivid_lane::Table;

use crate::guard::guarded;
use crate::output::Failure;
use desk::Desk;

/// What the server can do.
fn capabilities() -> Json {
    json!({
        "textDocumentSync": { "openClose": true, "change": 2, "save": true },
        "hoverProvider": true,
        "completionProvider": { "triggerCharacters": ["\"", "'", ".", "="] },
        "definitionProvider": true,
        "referencesProvider": true,
        "documentSymbolProvider": true,
        "foldingRangeProvider": true,
        "codeActionProvider": { "codeActionKinds": ["quickfix"] },
        "renameProvider": true,
        "inlayHintProvider": true,
        "executeCommandProvider": { "commands": [answers::TRY] },
    })
}

/// Says in words what a URL leads to and why.
pub(crate) type Explain<'a> = &'a dyn Fn(&Table, &str) -> String;

/// Serves one editor until it says goodbye.
pub(crate) fn run(explain: Explain<'_>) -> Result<(), Failure> {
    let (connection, threads) = Connection::stdio();
    let failed = |error: &dyn std::fmt::Display| Failure::Editor(error.to_string());
    let asked = connection.initialize(capabilities()).map_err(|error| failed(&error))?;
    let mut desk = Desk::default();
    desk.take_for_pages(page_folders(&asked));
    while let Ok(message) = connection.receiver.recv() {
        match message {
            Message::Request(request) => {
                if connection.handle_shutdown(&request).map_err(|error| failed(&error))? {
                    break;
                }
                tell(&connection, &mut desk);
                let (id, method) = (request.id.clone(), request.method.clone());
                let response = guarded(&method, || answer(&mut desk, explain, request))
                    .unwrap_or_else(|reason| Response::new_err(id, ErrorCode::InternalError as i32, reason));
                // Where the editor has gone, the next message does not come.
                let _ = connection.sender.send(Message::Response(response));
            }
            Message::Notification(notification) => {
                heed(&mut desk, &notification);
                // Of edits that come at once only the last result is worth a look.
                if connection.receiver.is_empty() {
                    tell(&connection, &mut desk);
                }
            }
            Message::Response(_) => {}
        }
    }
    drop(connection);
    threads.join().map_err(|error| failed(&error))
}

/// The folders of page files, which the editor names in its initialization options, from the folder that it works in.
fn page_folders(asked: &Json) -> impl Iterator<Item = PathBuf> {
    let root = asked["workspaceFolders"][0]["uri"].as_str().or(asked["rootUri"].as_str()).and_then(desk::path_of);
    let root = root.unwrap_or_default();
    let folders = asked["initializationOptions"]["pages"].as_array().cloned().unwrap_or_default();
    folders.into_iter().filter_map(move |folder| Some(root.join(folder.as_str()?)))
}

/// Tells the findings of what has changed.
fn tell(connection: &Connection, desk: &mut Desk) {
    let send = |method: &str, params| {
        let _ = connection.sender.send(Message::Notification(Notification::new(method.to_owned(), params)));
    };
    match guarded("reading the table", || desk.review()) {
        Ok(published) => {
            for (uri, diagnostics) in published {
                send("textDocument/publishDiagnostics", json!({ "uri": uri, "diagnostics": diagnostics }));
            }
        }
        Err(reason) => send("window/showMessage", json!({ "type": 1, "message": reason })),
    }
}

/// Takes over what the editor says of its files.
fn heed(desk: &mut Desk, notification: &Notification) {
    let params = &notification.params;
    let document = &params["textDocument"];
    let Some(uri) = document["uri"].as_str() else { return };
    match notification.method.as_str() {
        "textDocument/didOpen" => desk.open(uri, document["text"].as_str().unwrap_or_default()),
        "textDocument/didChange" => {
            for change in params["contentChanges"].as_array().into_iter().flatten() {
                desk.change(uri, &change["range"], change["text"].as_str().unwrap_or_default());
            }
        }
        "textDocument/didSave" => desk.touch(uri),
        "textDocument/didClose" => desk.close(uri),
        _ => {}
    }
}

fn answer(desk: &mut Desk, explain: Explain<'_>, request: Request) -> Response {
    let params = &request.params;
    let result = match request.method.as_str() {
        "textDocument/hover" => answers::hover(desk, params),
        "textDocument/completion" => answers::completion(desk, params),
        "textDocument/definition" => answers::definition(desk, params),
        "textDocument/references" => answers::references(desk, params),
        "textDocument/documentSymbol" => answers::symbols(desk, params),
        "textDocument/foldingRange" => answers::folds(desk, params),
        "textDocument/codeAction" => mends::actions(desk, params),
        "textDocument/inlayHint" => answers::hints(desk, params),
        "textDocument/rename" => match rename::rename(desk, params) {
            Ok(edit) => Some(edit),
            Err(reason) => return Response::new_err(request.id, ErrorCode::InvalidParams as i32, reason),
        },
        "workspace/executeCommand" => answers::execute(desk, explain, params),
        other => {
            let reason = format!("`{other}` is not among what this server can do");
            return Response::new_err(request.id, ErrorCode::MethodNotFound as i32, reason);
        }
    };
    Response::new_ok(request.id, result.unwrap_or(Json::Null))
}
