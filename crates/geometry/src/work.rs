//! Work that can be stopped: long loops look in now and then, and what they were doing unwinds to where it was begun.
//!
//! Constructions are deep recursions of searches and fits; carrying "was it stopped?" through every result would double
//! their signatures. Instead a stopped piece of work unwinds, as a panic does but without being one (no message, no
//! hook), up to [`Work::run`], which gives it back as an ordinary error. The same is done by incremental compilers for
//! cancelled queries. Nothing that unwinds leaves half a shape behind, since shapes are values that are made whole.

use std::any::Any;
use std::cell::{Cell, RefCell};
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// A switch that stops work from outside.
#[derive(Debug, Clone, Default)]
pub struct Cancel(Arc<AtomicBool>);

impl Cancel {
    /// Asks the work to stop.
    pub fn cancel(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether it was asked to.
    #[must_use]
    pub fn is_cancelled(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

/// Tells how many bytes the whole program holds, where somebody counts them.
pub type Meter = fn() -> usize;

/// What one piece of work may use.
#[derive(Debug, Clone)]
pub struct Budget {
    /// Wall time.
    pub time: Duration,
    /// Bytes by which the program may have grown since it began. They are counted for all work together; what runs at the
    /// same time shares its budgets, so that no piece of work is blamed for another's.
    pub bytes: usize,
    /// Who counts the bytes; without one they are not limited.
    pub meter: Option<Meter>,
}

impl Budget {
    /// A minute and a gigabyte: far above what a step of a real part takes.
    pub const TIME: Duration = Duration::from_secs(60);
    /// As [`Budget::TIME`].
    pub const BYTES: usize = 1_000_000_000;
}

impl Default for Budget {
    fn default() -> Self {
        Self { time: Self::TIME, bytes: Self::BYTES, meter: None }
    }
}

/// Why a piece of work came to no end.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Halt {
    /// Somebody stopped it.
    #[error("it was stopped")]
    Cancelled,
    /// Its time was up.
    #[error("it was not done after {} s", .0.as_secs_f64())]
    OutOfTime(Duration),
    /// It held more memory than it may.
    #[error("it took more than {} MB of memory", .0 / 1_000_000)]
    OutOfMemory(usize),
    /// The program itself is at fault.
    #[error("the program is at fault ({0})")]
    Broken(String),
}

/// How many looks go by between two at the clock and the meter; the switch is looked at each time.
const LOOKS: u32 = 64;

/// Pieces of metered work in progress.
static RUNNING: AtomicUsize = AtomicUsize::new(0);

#[derive(Debug)]
struct Limits {
    cancel: Cancel,
    began: Instant,
    budget: Budget,
    held_before: usize,
    /// The work that it is a part of: what stops that stops this.
    outer: Option<Work>,
}

/// A piece of work in progress.
#[derive(Debug, Clone)]
pub struct Work(Arc<Limits>);

thread_local! {
    static CURRENT: RefCell<Option<Work>> = const { RefCell::new(None) };
    static LOOKED: Cell<u32> = const { Cell::new(0) };
}

/// Puts back on its end what this thread worked at before.
struct Entered(Option<Work>);

impl Entered {
    fn new(work: Option<Work>) -> Self {
        Self(CURRENT.replace(work))
    }
}

impl Drop for Entered {
    fn drop(&mut self) {
        CURRENT.set(self.0.take());
    }
}

/// What unwinds; no panic of the program carries it.
struct Halted(Halt);

impl Work {
    /// Work that begins now, ends when it is cancelled, and uses at most a budget.
    #[must_use]
    pub fn new(cancel: &Cancel, budget: &Budget) -> Self {
        let held_before = budget.meter.map_or(0, |held| held());
        Self(Arc::new(Limits {
            cancel: cancel.clone(),
            began: Instant::now(),
            budget: budget.clone(),
            held_before,
            outer: CURRENT.with_borrow(Clone::clone),
        }))
    }

    /// Does something as this work. A panic inside comes back as [`Halt::Broken`], so that one fault of the program takes
    /// down one step and not the process's other work.
    ///
    /// # Errors
    /// Why it was not done.
    pub fn run<T>(&self, job: impl FnOnce() -> T) -> Result<T, Halt> {
        let metered = usize::from(self.0.budget.meter.is_some());
        RUNNING.fetch_add(metered, Ordering::Relaxed);
        let done = catch_unwind(AssertUnwindSafe(|| {
            let _entered = Entered::new(Some(self.clone()));
            job()
        }));
        RUNNING.fetch_sub(metered, Ordering::Relaxed);
        done.map_err(|thrown| match thrown.downcast::<Halted>() {
            Ok(halted) => halted.0,
            Err(panic) => Halt::Broken(panic_message(panic.as_ref())),
        })
    }

    fn is_cancelled(&self) -> bool {
        self.0.cancel.is_cancelled() || self.0.outer.as_ref().is_some_and(Self::is_cancelled)
    }

    fn halt(&self) -> Option<Halt> {
        if self.is_cancelled() {
            return Some(Halt::Cancelled);
        }
        let looks = LOOKED.replace(LOOKED.get().wrapping_add(1)).is_multiple_of(LOOKS);
        if looks { self.used_up() } else { None }
    }

    /// Whether its budget, or that of the work that it is a part of, is used up.
    fn used_up(&self) -> Option<Halt> {
        let limits = &self.0;
        if let Some(halt) = limits.outer.as_ref().and_then(Self::used_up) {
            return Some(halt);
        }
        if limits.began.elapsed() > limits.budget.time {
            return Some(Halt::OutOfTime(limits.budget.time));
        }
        let grown = limits.budget.meter.map_or(0, |held| held()).saturating_sub(limits.held_before);
        let allowed = limits.budget.bytes.saturating_mul(RUNNING.load(Ordering::Relaxed));
        (grown > allowed).then_some(Halt::OutOfMemory(limits.budget.bytes))
    }
}

fn panic_message(panic: &(dyn Any + Send)) -> String {
    let text = panic.downcast_ref::<String>().map(String::as_str);
    text.or_else(|| panic.downcast_ref::<&str>().copied()).unwrap_or("no message").chars().take(200).collect()
}

/// Ends the work in progress on this thread if it was stopped or has used up its budget. Cheap; for every loop that can
/// run longer than about 20 ms.
pub fn check_work() {
    let halt = CURRENT.with_borrow(|current| current.as_ref().and_then(Work::halt));
    if let Some(halt) = halt {
        resume_unwind(Box::new(Halted(halt)));
    }
}

/// Does something as a part of the work in progress, with a budget of its own: what that does not suffice for comes back
/// here; where the budget of the whole is used up, the whole ends.
///
/// # Errors
/// Why the part was not done.
pub fn part_of_work<T>(cancel: &Cancel, budget: &Budget, job: impl FnOnce() -> T) -> Result<T, Halt> {
    let done = Work::new(cancel, budget).run(job);
    let whole = CURRENT.with_borrow(Clone::clone);
    if let Some(halt) = whole.filter(|_| done.is_err()).and_then(|whole| whole.used_up()) {
        resume_unwind(Box::new(Halted(halt)));
    }
    done
}

/// A function for other threads to call, as part of the work in progress on this one.
pub fn shared_work<A, R>(job: impl Fn(A) -> R) -> impl Fn(A) -> R {
    let current = CURRENT.with_borrow(Clone::clone);
    move |given| {
        let _entered = Entered::new(current.clone());
        check_work();
        job(given)
    }
}
