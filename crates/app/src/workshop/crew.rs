//! Threads for one job at a time. Each job has its own, so that none waits for another's long step; how they share the
//! processor is the system's to say, which knows from their niceness who gives way.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use rayon::{ThreadPool, ThreadPoolBuilder};
use rustix::process::Pid;

use super::Urgency;

/// Niceness of jobs that take long, and of those that nobody waits for: about a ninth of the share of others.
const GIVING_WAY: i32 = 10;
/// Deep recursions of searches fit into this.
const STACK: usize = 16 << 20;

pub struct Crew {
    pool: ThreadPool,
    threads: Arc<Mutex<Vec<Pid>>>,
    gives_way: AtomicBool,
}

impl Crew {
    fn new(threads: usize) -> Option<Self> {
        let ids: Arc<Mutex<Vec<Pid>>> = Arc::default();
        let own = Arc::clone(&ids);
        let pool = ThreadPoolBuilder::new()
            .num_threads(threads)
            .stack_size(STACK)
            .thread_name(|k| format!("work {k}"))
            .start_handler(move |_| {
                own.lock().unwrap_or_else(PoisonError::into_inner).push(rustix::thread::gettid());
            })
            .build()
            .inspect_err(|error| tracing::error!(%error, "no threads for a job"))
            .ok()?;
        Some(Self { pool, threads: ids, gives_way: AtomicBool::new(false) })
    }

    pub fn run<T: Send>(&self, job: impl FnOnce() -> T + Send) -> T {
        self.pool.install(job)
    }

    /// From now on other jobs come first. There is no way back: raising a thread again takes rights that a server should not
    /// have.
    pub fn give_way(&self) {
        if self.gives_way.swap(true, Ordering::Relaxed) {
            return;
        }
        for thread in &*self.threads.lock().unwrap_or_else(PoisonError::into_inner) {
            // Where the system refuses, jobs share evenly.
            let _ = rustix::process::setpriority_process(Some(*thread), GIVING_WAY);
        }
    }
}

/// Crews that stand ready.
pub struct Crews {
    threads: usize,
    idle: Mutex<Vec<Arc<Crew>>>,
}

impl Crews {
    pub fn new(threads: usize) -> Self {
        Self { threads, idle: Mutex::default() }
    }

    pub fn call(&self, urgency: Urgency) -> Option<Arc<Crew>> {
        let idle = self.idle.lock().unwrap_or_else(PoisonError::into_inner).pop();
        let crew = idle.or_else(|| Crew::new(self.threads).map(Arc::new))?;
        if urgency == Urgency::Aside {
            crew.give_way();
        }
        Some(crew)
    }

    /// A crew that has given way is not called again.
    pub fn dismiss(&self, crew: Arc<Crew>) {
        let mut idle = self.idle.lock().unwrap_or_else(PoisonError::into_inner);
        if !crew.gives_way.load(Ordering::Relaxed) && idle.len() < self.threads {
            idle.push(crew);
        }
    }
}
