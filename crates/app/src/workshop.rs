//! Where parts are rebuilt: off the async threads, each part with its own cache, a bounded number at a time.
//!
//! Whoever asks waits for a turn before anything is taken. Of a part one job runs at a time; between parts the one that had
//! its turn longest ago is next; what a person waits for comes before pictures and files, of which one runs at a time and
//! never in the way. A job that is not done soon makes room: it counts no longer among those that are expected to be
//! quick, and its threads give way to theirs, so that a light part stays light beside heavy ones.

mod bench;
mod crew;
mod turns;

use std::sync::Arc;

use geometry::{Halt, Work};
use part::{Budget, Cancel, Rebuilt, Recipe};
use tokio::sync::Semaphore;
use uuid::Uuid;

use self::bench::Benches;
use self::crew::Crews;
use self::turns::Turns;
pub use self::turns::Urgency;
use crate::rejection::Rejection;

/// A job is stopped after this many times what one step may take.
const STEPS_OF_TIME: u32 = 5;

/// What is told of a rebuild while it goes on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Progress {
    /// The id of a step that is done.
    pub step: String,
    /// How many steps there are.
    pub of: usize,
}

/// One job.
pub struct Job {
    pub part: Uuid,
    pub urgency: Urgency,
    /// Stops the rebuild; what is built so far is used.
    pub stop: Cancel,
    pub progress: Box<dyn Fn(Progress) + Send + Sync>,
}

impl Job {
    pub fn new(part: Uuid, urgency: Urgency) -> Self {
        Self { part, urgency, stop: Cancel::default(), progress: Box::new(|_| ()) }
    }
}

pub struct Workshop {
    turns: Turns,
    crews: Arc<Crews>,
    benches: Arc<Benches>,
    budget: Budget,
    readers: Arc<Semaphore>,
}

/// Stops a job whose asker is gone: a closed page, a dropped connection, a newer request.
struct StopWhenDropped(Cancel);

impl Drop for StopWhenDropped {
    fn drop(&mut self) {
        self.0.cancel();
    }
}

fn halted(halt: Halt) -> Rejection {
    match halt {
        Halt::Cancelled => Rejection::Stopped,
        Halt::Broken(message) => Rejection::Fault(message),
        used_up => Rejection::UsedUp(used_up.to_string()),
    }
}

impl Workshop {
    pub fn new(budget: Budget) -> Self {
        let threads = std::thread::available_parallelism().map_or(2, usize::from);
        Self {
            turns: Turns::new(threads),
            crews: Arc::new(Crews::new(threads)),
            benches: Arc::default(),
            budget,
            readers: Arc::new(Semaphore::new(threads)),
        }
    }

    /// Reads, checks or writes something that takes a while but no rebuild, off the async threads.
    pub async fn read<T: Send + 'static>(
        &self,
        job: impl FnOnce() -> Result<T, Rejection> + Send + 'static,
    ) -> Result<T, Rejection> {
        let permit = Arc::clone(&self.readers).acquire_owned().await.map_err(|_| Rejection::Stopped)?;
        let gone = StopWhenDropped(Cancel::default());
        let work = Work::new(&gone.0, &Budget { meter: None, ..self.budget.clone() });
        let done = tokio::task::spawn_blocking(move || {
            let _permit = permit;
            work.run(job).map_err(halted)?
        });
        done.await.map_err(|_| Rejection::Stopped)?
    }

    /// Rebuilds a recipe and lets `then` work on the result.
    pub async fn run<T: Send + 'static>(
        &self,
        part: Uuid,
        urgency: Urgency,
        recipe: Arc<Recipe>,
        then: impl FnOnce(&Recipe, &Rebuilt) -> Result<T, Rejection> + Send + 'static,
    ) -> Result<T, Rejection> {
        self.run_job(Job::new(part, urgency), move || Ok(recipe), then).await
    }

    /// As `run`, of a recipe that is only made when its turn has come; can be stopped and tells how far it is.
    pub async fn run_job<T: Send + 'static>(
        &self,
        job: Job,
        make: impl FnOnce() -> Result<Arc<Recipe>, Rejection> + Send + 'static,
        then: impl FnOnce(&Recipe, &Rebuilt) -> Result<T, Rejection> + Send + 'static,
    ) -> Result<T, Rejection> {
        let gone = StopWhenDropped(Cancel::default());
        let turn = self.turns.turn(job.part, job.urgency).await?;
        let (benches, crews, budget) =
            (Arc::clone(&self.benches), Arc::clone(&self.crews), self.budget.clone());
        let time = budget.time.saturating_mul(STEPS_OF_TIME);
        let work = Work::new(&gone.0, &Budget { time, meter: None, ..budget.clone() });
        let done = tokio::task::spawn_blocking(move || {
            let crew = crews.call(job.urgency).ok_or(Rejection::Busy)?;
            turn.taken_by(&crew);
            let done = crew.run(|| {
                work.run(|| {
                    let recipe = make()?;
                    let tell =
                        |step: &str| (job.progress)(Progress { step: step.into(), of: recipe.steps.len() });
                    let rebuilt = benches.rebuild(job.part, &recipe, &job.stop, &budget, &tell)?;
                    turn.rebuilt();
                    then(&recipe, &rebuilt)
                })
            });
            drop(turn);
            crews.dismiss(crew);
            done.map_err(halted)?
        });
        done.await.map_err(|_| Rejection::Stopped)?
    }
}
