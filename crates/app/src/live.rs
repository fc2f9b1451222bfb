//! Live editing over a WebSocket: the page sends edits that are not saved, and gets back how the part would look.
//! The latest wins; a preview that is overtaken is cancelled and never sent. A rebuild that takes long tells how far it
//! is, and can be stopped. The page also hears of saved changes, and when it comes back learns what came in between.

use std::sync::Arc;
use std::time::{Duration, Instant};

use axum::extract::ws::{Message, WebSocket};
use part::{Cancel, Edit, OpenSheet, Recipe};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use store::{Heard, StoreError};
use tokio::sync::{OwnedSemaphorePermit, broadcast, mpsc};
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::rejection::{RefusalKind, Rejection, told};
use crate::state::AppState;
use crate::view::{Fineness, Looks, Shown, view};
use crate::workshop::{Job, Progress, Urgency};

/// Progress of a rebuild that is done sooner than this is not worth telling.
const QUICK: Duration = Duration::from_millis(250);
/// A page that is there answers a ping; one that is not is noticed by its silence.
const PING: Duration = Duration::from_secs(20);

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

/// What the server says in text. Views come as binary messages: the ticket, 64 bit, little endian, then a glTF 2.0 binary.
#[derive(Serialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum News {
    /// The channel is open.
    Opened {
        /// The version that the part is at.
        version: i64,
    },
    /// The part has a new version.
    Changed {
        /// The version.
        version: i64,
    },
    /// The part was taken off the rack.
    Removed,
    /// A rebuild takes a while.
    Progress {
        /// The view that it is for.
        ticket: u64,
        /// How many steps are done.
        done: usize,
        /// Of how many.
        of: usize,
        /// The step that was done last.
        step: String,
    },
    /// A view cannot be made.
    Refused {
        /// The view; 0 for what cannot be read.
        ticket: u64,
        /// Why, and what to do.
        error: String,
        /// The same as a word.
        reason: RefusalKind,
    },
}

impl News {
    fn message(&self) -> Message {
        Message::Text(serde_json::to_string(self).unwrap_or_default().into())
    }

    fn refusal(ticket: u64, why: &Rejection) -> Message {
        Self::Refused { ticket, error: told(&why.to_string()), reason: why.kind() }.message()
    }
}

struct Running {
    ticket: u64,
    started: Instant,
    stop: Cancel,
    done: usize,
    progress: mpsc::UnboundedReceiver<Progress>,
    work: JoinHandle<Result<Vec<u8>, Rejection>>,
}

impl Drop for Running {
    /// Nobody waits for it any more; the workshop stops what it is at.
    fn drop(&mut self) {
        self.work.abort();
    }
}

/// What happens first to a running rebuild.
enum Event {
    Step(Progress),
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

/// The part as the channel knows it; the recipe is none while the part is off the rack or cannot be read.
struct Known {
    version: i64,
    recipe: Option<Arc<Recipe>>,
    removed: bool,
}

impl Known {
    /// As it is now, with what the page should hear of it.
    async fn refreshed(&mut self, state: &AppState, id: Uuid) -> Result<Option<News>, Rejection> {
        match state.part(id).await {
            Ok((part, recipe)) => {
                let is_new = part.version != self.version || self.removed;
                *self = Self { version: part.version, recipe: Some(recipe), removed: false };
                Ok(is_new.then_some(News::Changed { version: part.version }))
            }
            Err(Rejection::Store(StoreError::NoPart)) => {
                let is_new = !self.removed;
                (self.removed, self.recipe) = (true, None);
                Ok(is_new.then_some(News::Removed))
            }
            Err(other) => Err(other),
        }
    }
}

pub async fn live(mut socket: WebSocket, state: AppState, id: Uuid, _place: OwnedSemaphorePermit) {
    // Heard from before the part is read, so that nothing falls in between.
    let changes = state.changes.subscribe();
    let Ok((part, recipe)) = state.part(id).await else { return };
    let known = Known { version: part.version, recipe: Some(recipe), removed: false };
    // What cannot be sent any more ends the channel; the page opens a new one.
    let _ = talk(&mut socket, &state, id, known, changes).await;
}

async fn talk(
    socket: &mut WebSocket,
    state: &AppState,
    id: Uuid,
    mut known: Known,
    mut changes: broadcast::Receiver<Heard>,
) -> Result<(), axum::Error> {
    let mut running: Option<Running> = None;
    let mut waiting: Option<Ask> = None;
    let mut ping = tokio::time::interval(PING);
    socket.send(News::Opened { version: known.version }.message()).await?;
    loop {
        if running.is_none()
            && let Some(ask) = waiting.take()
        {
            // The page hears of its own change sooner than we do by the notice.
            if ask.version > known.version
                && let Err(error) = known.refreshed(state, id).await
            {
                socket.send(News::refusal(ask.ticket, &error)).await?;
                continue;
            }
            match &known.recipe {
                Some(recipe) => running = Some(start(state, id, Arc::clone(recipe), ask)),
                None => socket.send(News::refusal(ask.ticket, &StoreError::NoPart.into())).await?,
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
                    Event::Step(Progress { step, of }) => {
                        now.done += 1;
                        if now.started.elapsed() < QUICK {
                            continue;
                        }
                        News::Progress { ticket: now.ticket, done: now.done, of, step }.message()
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
                            Ok(Err(error)) => News::refusal(ticket, &error),
                            Err(_) => News::refusal(ticket, &Rejection::Stopped),
                        }
                    }
                };
                socket.send(message).await?;
            }
            message = socket.recv() => {
                let text = match message {
                    Some(Ok(Message::Text(text))) => text,
                    Some(Ok(Message::Close(_)) | Err(_)) | None => return Ok(()),
                    Some(Ok(_)) => continue,
                };
                let read = state.workshop.read(move || {
                    serde_json::from_str::<Said>(&text).map_err(|e| Rejection::Unreadable(e.to_string()))
                });
                match read.await {
                    Ok(Said::Show(ask)) => {
                        // The newest wins; what it overtakes is let go at once.
                        running = None;
                        waiting = Some(ask);
                    }
                    Ok(Said::Stop) => {
                        if let Some(running) = &running {
                            running.stop.cancel();
                        }
                        waiting = None;
                    }
                    Err(error) => socket.send(News::refusal(0, &error)).await?,
                }
            }
            change = changes.recv() => {
                // Having missed some is no different from having heard of one.
                if let Ok(Heard::Change(c)) = change
                    && (c.part != id || (c.version <= known.version && c.removed == known.removed))
                {
                    continue;
                }
                match known.refreshed(state, id).await {
                    Ok(Some(news)) => socket.send(news.message()).await?,
                    Ok(None) => {}
                    // The page opens a new channel, and learns by that how the part is.
                    Err(_) => return Ok(()),
                }
            }
            _ = ping.tick() => socket.send(Message::Ping(Vec::new().into())).await?,
        }
    }
}

fn start(state: &AppState, id: Uuid, recipe: Arc<Recipe>, ask: Ask) -> Running {
    let Ask { ticket, edits, sheet, fineness, looks, .. } = ask;
    let how = Shown { sheet, fineness, looks, is_preview: !edits.is_empty() };
    let make =
        move || Ok(if edits.is_empty() { recipe } else { Arc::new(Edit::All { edits }.apply(&recipe)?) });
    let (tell, progress) = mpsc::unbounded_channel();
    let progress_of = move |done: Progress| {
        // Nobody listens any more when the page is gone.
        let _ = tell.send(done);
    };
    let job = Job { progress: Box::new(progress_of), ..Job::new(id, Urgency::AtHand) };
    let stop = job.stop.clone();
    let state = state.clone();
    let work = tokio::spawn(async move {
        state.workshop.run_job(job, make, move |recipe, rebuilt| Ok(view(recipe, rebuilt, &how))).await
    });
    Running { ticket, started: Instant::now(), stop, done: 0, progress, work }
}
