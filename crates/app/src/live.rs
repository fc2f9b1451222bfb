//! Live editing over a WebSocket: the page sends edits that are not saved, and gets back how the part would look.
//! The latest wins; a preview that is overtaken is cancelled and never sent. The page also hears of saved changes.

use axum::extract::ws::{Message, WebSocket};
use part::{Cancel, Edit, Recipe};
use serde::Deserialize;
use serde_json::json;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::rejection::Rejection;
use crate::state::AppState;
use crate::view::view;

/// A preview that the page asks for.
#[derive(Deserialize)]
struct Ask {
    /// Comes back with the answer.
    ticket: u64,
    /// Edits on top of the saved recipe.
    edits: Vec<Edit>,
}

struct Running {
    ticket: u64,
    cancel: Cancel,
    work: JoinHandle<Result<Vec<u8>, Rejection>>,
}

pub async fn live(mut socket: WebSocket, state: AppState, id: Uuid) {
    let mut changes = state.changes.subscribe();
    let Ok((mut part, mut recipe)) = state.part(id).await else { return };
    let mut running: Option<Running> = None;
    let mut waiting: Option<Ask> = None;
    loop {
        if running.is_none()
            && let Some(ask) = waiting.take()
        {
            match start(&state, id, &recipe, ask) {
                Ok(started) => running = Some(started),
                Err(refusal) => {
                    if socket.send(refusal).await.is_err() {
                        return;
                    }
                }
            }
        }
        let finished = async {
            match running.as_mut() {
                Some(running) => (running.ticket, (&mut running.work).await),
                None => std::future::pending().await,
            }
        };
        tokio::select! {
            (ticket, done) = finished => {
                running = None;
                let message = match done {
                    // Overtaken: the newer one is about to start, and this one would only flicker.
                    Ok(_) if waiting.is_some() => continue,
                    Ok(Ok(bytes)) => {
                        let mut frame = ticket.to_le_bytes().to_vec();
                        frame.extend(bytes);
                        Message::Binary(frame.into())
                    }
                    Ok(Err(error)) => refuse(ticket, &error.to_string()),
                    Err(_) => refuse(ticket, "this preview could not be made; undo the last change"),
                };
                if socket.send(message).await.is_err() {
                    return;
                }
            }
            message = socket.recv() => {
                let text = match message {
                    Some(Ok(Message::Text(text))) => text,
                    Some(Ok(Message::Close(_)) | Err(_)) | None => return,
                    Some(Ok(_)) => continue,
                };
                match serde_json::from_str::<Ask>(&text) {
                    Ok(ask) => {
                        if let Some(running) = &running {
                            running.cancel.cancel();
                        }
                        waiting = Some(ask);
                    }
                    Err(error) => {
                        if socket.send(refuse(0, &error.to_string())).await.is_err() {
                            return;
                        }
                    }
                }
            }
            change = changes.recv() => {
                // Having missed some is no different from having heard of one.
                if change.is_ok_and(|c| c.part != id || c.version <= part.version) {
                    continue;
                }
                let Ok(fresh) = state.part(id).await else { return };
                (part, recipe) = fresh;
                let note = json!({"kind": "changed", "version": part.version}).to_string();
                if socket.send(Message::Text(note.into())).await.is_err() {
                    return;
                }
            }
        }
    }
}

fn refuse(ticket: u64, message: &str) -> Message {
    Message::Text(json!({"kind": "refused", "ticket": ticket, "error": message}).to_string().into())
}

fn start(state: &AppState, id: Uuid, recipe: &Recipe, ask: Ask) -> Result<Running, Message> {
    let edited =
        Edit::All { edits: ask.edits }.apply(recipe).map_err(|e| refuse(ask.ticket, &e.to_string()))?;
    let cancel = Cancel::default();
    let (state, stop) = (state.clone(), cancel.clone());
    let work = tokio::spawn(async move { state.workshop.run_until(id, edited, stop, view).await });
    Ok(Running { ticket: ask.ticket, cancel, work })
}
