//! Whose turn it is.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, Weak};
use std::time::Duration;

use tokio::sync::oneshot;
use uuid::Uuid;

use super::crew::Crew;
use crate::rejection::Rejection;

/// A job that takes longer makes room for others.
const SOON: Duration = Duration::from_millis(150);
/// Jobs at work at a time, those that take long included.
const MOST_AT_WORK: usize = 6;
/// Jobs that may wait; more are refused.
const MOST_WAITING: usize = 400;

/// How urgent a job is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Urgency {
    /// Somebody looks at the part and waits.
    AtHand,
    /// A picture, a file, a line on the rack.
    Aside,
}

struct Waiting {
    number: u64,
    part: Uuid,
    urgency: Urgency,
    wake: oneshot::Sender<()>,
}

struct AtWork {
    number: u64,
    /// The part that is rebuilt; none once that is done and only what is made of it goes on.
    part: Option<Uuid>,
    urgency: Urgency,
    is_quick: bool,
    crew: Option<Weak<Crew>>,
}

#[derive(Default)]
struct Queue {
    numbers: u64,
    waiting: Vec<Waiting>,
    at_work: Vec<AtWork>,
    /// When each part had its last turn, by the number of the job.
    last_turns: HashMap<Uuid, u64>,
}

impl Queue {
    /// Lets those to work whose turn it is.
    fn admit(&mut self, quick: usize) {
        loop {
            let quick_now =
                self.at_work.iter().filter(|j| j.is_quick && j.urgency == Urgency::AtHand).count();
            let aside_now = self.at_work.iter().any(|j| j.urgency == Urgency::Aside);
            let may = |w: &Waiting| {
                let free = self.at_work.iter().all(|j| j.part != Some(w.part));
                free && match w.urgency {
                    Urgency::AtHand => quick_now < quick && self.at_work.len() < MOST_AT_WORK,
                    Urgency::Aside => !aside_now && self.at_work.len() < MOST_AT_WORK,
                }
            };
            let last = |w: &Waiting| self.last_turns.get(&w.part).copied().unwrap_or(0);
            let next = (0..self.waiting.len())
                .filter(|&i| may(&self.waiting[i]))
                .min_by_key(|&i| (self.waiting[i].urgency, last(&self.waiting[i]), self.waiting[i].number));
            let Some(next) = next else { return };
            let Waiting { number, part, urgency, wake } = self.waiting.remove(next);
            self.numbers += 1;
            *self.last_turns.entry(part).or_default() = self.numbers;
            if self.last_turns.len() > 4 * MOST_WAITING {
                let recent = self.numbers.saturating_sub(MOST_WAITING as u64);
                self.last_turns.retain(|_, number| *number >= recent);
            }
            // One that has gone meanwhile gives its turn back when its place is dropped.
            self.at_work.push(AtWork { number, part: Some(part), urgency, is_quick: true, crew: None });
            let _ = wake.send(());
        }
    }
}

struct Shared {
    queue: Mutex<Queue>,
    /// Jobs that are expected to be quick, at a time.
    quick: usize,
}

impl Shared {
    fn queue(&self) -> MutexGuard<'_, Queue> {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

pub struct Turns(Arc<Shared>);

/// A place in the queue, and then at work; dropped, it is free for the next one.
pub struct Turn {
    number: u64,
    shared: Arc<Shared>,
}

impl Turns {
    pub fn new(quick: usize) -> Self {
        Self(Arc::new(Shared { queue: Mutex::default(), quick }))
    }

    pub async fn turn(&self, part: Uuid, urgency: Urgency) -> Result<Turn, Rejection> {
        let shared = Arc::clone(&self.0);
        let (wake, woken) = oneshot::channel();
        let turn = {
            let mut queue = shared.queue();
            if queue.waiting.len() >= MOST_WAITING {
                return Err(Rejection::Busy);
            }
            queue.numbers += 1;
            let number = queue.numbers;
            queue.waiting.push(Waiting { number, part, urgency, wake });
            queue.admit(shared.quick);
            Turn { number, shared: Arc::clone(&shared) }
        };
        woken.await.map_err(|_| Rejection::Stopped)?;
        let (number, shared) = (turn.number, Arc::downgrade(&shared));
        tokio::spawn(async move {
            tokio::time::sleep(SOON).await;
            let Some(shared) = shared.upgrade() else { return };
            let mut queue = shared.queue();
            if let Some(job) = queue.at_work.iter_mut().find(|j| j.number == number) {
                job.is_quick = false;
                if let Some(crew) = job.crew.as_ref().and_then(Weak::upgrade) {
                    crew.give_way();
                }
                queue.admit(shared.quick);
            }
        });
        Ok(turn)
    }
}

impl Turn {
    /// The part is rebuilt: the next job on it need not wait until this one has written its file.
    pub fn rebuilt(&self) {
        let mut queue = self.shared.queue();
        if let Some(job) = queue.at_work.iter_mut().find(|j| j.number == self.number) {
            job.part = None;
        }
        queue.admit(self.shared.quick);
    }

    /// Says who does the job, so that they give way when it takes long.
    pub fn taken_by(&self, crew: &Arc<Crew>) {
        let mut queue = self.shared.queue();
        if let Some(job) = queue.at_work.iter_mut().find(|j| j.number == self.number) {
            job.crew = Some(Arc::downgrade(crew));
            if !job.is_quick {
                crew.give_way();
            }
        }
    }
}

impl Drop for Turn {
    fn drop(&mut self) {
        let mut queue = self.shared.queue();
        queue.waiting.retain(|w| w.number != self.number);
        queue.at_work.retain(|j| j.number != self.number);
        queue.admit(self.shared.quick);
    }
}
