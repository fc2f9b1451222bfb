//! Live editing over a WebSocket: the page sends edits that are not saved, and gets back how the part would look.
//! The latest wins; a preview that is overtaken is cancelled and never sent. A rebuild that takes long tells how far it
//! is, and can be stopped. The page also hears of saved changes.

use std::time::{Duration, Instant};

use axum::extract::ws::{Message, WebSocket};
use part::{Cancel, Edit, OpenSheet, Recipe};
use schemars::JsonSchema;
use serde::Deserialize;
use serde_json::json;
use tokio::sync::mpsc;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::rejection::Rejection;
use crate::state::AppState;
use crate::view::{Fineness, Looks, Shown, view};

/// Progress of a rebuild that is done sooner than this is not worth telling.
const QUICK: Duration = Duration::from_millis(250);

/// What a page says.
#[derive(Deserialize, JsonSchema)]
#[serde(tag = "do", rename_all = "snake_case", deny_unknown_fields)]
pub enum Said {
    /// Show how the part would look.
    Show(Ask),
    /// Stop the rebuild that is under way; what is built so far is shown.
    Stop,
}

/// A view that the page asks for.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ask {
    /// Comes back with the answer.
    ticket: u64,
    /// The saved version that the page knows.
    version: i64,
    /// Edits on top of the saved recipe.
    edits: Vec<Edit>,
    /// The sheet that is open.
    #[serde(default)]
    sheet: Option<OpenSheet>,
    /// How finely surfaces are shown.
    #[serde(default)]
    fineness: Fineness,
    /// What is shown besides.
    #[serde(default)]
    looks: Looks,
}

struct Running {
    ticket: u64,
    started: Instant,
    cancel: Cancel,
    /// Steps of the recipe, and names of those that are done.
    steps: usize,
    done: usize,
    progress: mpsc::UnboundedReceiver<String>,
    work: JoinHandle<Result<Vec<u8>, Rejection>>,
}

/// What happens first to a running rebuild.
enum Event {
    Step(String),
    Finished(Result<Result<Vec<u8>, Rejection>, tokio::task::JoinError>),
}

impl Running {
    async fn next(&mut self) -> Event {
        tokio::select! {
            Some(step) = self.progress.recv() => Event::Step(step),
            done = &mut self.work => Event::Finished(done),
        }
    }
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
            if ask.version > part.version {
                // The page hears of its own change sooner than we do by the notice.
                let Ok(fresh) = state.part(id).await else { return };
                (part, recipe) = fresh;
            }
            match start(&state, id, &recipe, ask) {
                Ok(started) => running = Some(started),
                Err(refusal) => {
                    if socket.send(refusal).await.is_err() {
                        return;
                    }
                }
            }
        }
        let event = async {
            match running.as_mut() {
                Some(running) => running.next().await,
                None => std::future::pending().await,
            }
        };
        tokio::select! {
            event = event => {
                let Some(now) = running.as_mut() else { continue };
                let message = match event {
                    Event::Step(step) => {
                        now.done += 1;
                        if now.started.elapsed() < QUICK {
                            continue;
                        }
                        let note = json!({"kind": "progress", "ticket": now.ticket, "done": now.done, "of": now.steps, "step": step});
                        Message::Text(note.to_string().into())
                    }
                    Event::Finished(done) => {
                        let ticket = now.ticket;
                        running = None;
                        match done {
                            // Overtaken: the newer one is about to start, and this one would only flicker.
                            Ok(_) if waiting.is_some() => continue,
                            Ok(Ok(bytes)) => {
                                let mut frame = ticket.to_le_bytes().to_vec();
                                frame.extend(bytes);
                                Message::Binary(frame.into())
                            }
                            Ok(Err(error)) => refuse(ticket, &error.to_string()),
                            Err(_) => refuse(ticket, "this preview could not be made; undo the last change"),
                        }
                    }
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
                match serde_json::from_str::<Said>(&text) {
                    Ok(said) => {
                        if let Some(running) = &running {
                            running.cancel.cancel();
                        }
                        waiting = match said {
                            Said::Show(ask) => Some(ask),
                            Said::Stop => None,
                        };
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
    let is_preview = !ask.edits.is_empty();
    let edited =
        Edit::All { edits: ask.edits }.apply(recipe).map_err(|e| refuse(ask.ticket, &e.to_string()))?;
    let cancel = Cancel::default();
    let (state, stop) = (state.clone(), cancel.clone());
    let steps = edited.steps.len();
    let (tell, progress) = mpsc::unbounded_channel();
    let work = tokio::spawn(async move {
        let tell = move |step: &str| {
            // Nobody listens any more when the page is gone.
            let _ = tell.send(step.to_string());
        };
        let how = Shown { sheet: ask.sheet, fineness: ask.fineness, looks: ask.looks, is_preview };
        let show = move |recipe: &Recipe, rebuilt: &part::Rebuilt| view(recipe, rebuilt, &how);
        state.workshop.run_until(id, edited, stop, tell, show).await
    });
    Ok(Running { ticket: ask.ticket, started: Instant::now(), cancel, steps, done: 0, progress, work })
}
