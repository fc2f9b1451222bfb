//! What one step of a part may use, and who counts the memory that the program holds.

use std::alloc::System;
use std::time::Duration;

use cap::Cap;
use clap::Args;
use part::Budget;

/// Counts; it limits nothing, since what hits a limit of an allocator is a whole process.
#[global_allocator]
static HELD: Cap<System> = Cap::new(System, usize::MAX);

/// What one step may use, as given with the command or in the environment.
#[derive(Debug, Clone, Args)]
pub struct BudgetArguments {
    /// Seconds after which a step fails by name.
    #[arg(long, env = "KINDRED_SHELL_STEP_SECONDS", default_value_t = Budget::TIME.as_secs(), value_parser = clap::value_parser!(u64).range(1..=86_400))]
    step_seconds: u64,
    /// Megabytes that a step may take before it fails by name.
    #[arg(long, env = "KINDRED_SHELL_STEP_MEGABYTES", default_value_t = Budget::BYTES as u64 / 1_000_000, value_parser = clap::value_parser!(u64).range(10..=1_000_000))]
    step_megabytes: u64,
}

impl BudgetArguments {
    pub fn budget(&self) -> Budget {
        let bytes = usize::try_from(self.step_megabytes.saturating_mul(1_000_000)).unwrap_or(usize::MAX);
        Budget { time: Duration::from_secs(self.step_seconds), bytes, meter: Some(|| HELD.allocated()) }
    }
}
