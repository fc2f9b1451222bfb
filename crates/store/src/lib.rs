//! What outlives the process: accounts, projects, parts and their edit log, in PostgreSQL.
//!
//! Every accepted change is one transaction that appends to the log and moves the part's version on. Processes that
//! share a database hear of changes by `LISTEN`/`NOTIFY`. Nothing here knows HTTP or geometry; recipes are JSON.

mod changes;
mod error;
mod history;
mod parts;
mod rack;
mod requests;
mod turns;

pub use changes::{Change, Heard};
pub use error::StoreError;
pub use history::Entry;
pub use parts::{NewEdit, Part, Saved};
pub use rack::{PartPage, PartQuery, PartRow, Summary};
pub use requests::Key;

use std::str::FromStr;
use std::sync::Arc;
use std::time::Duration;

use sqlx::PgPool;
use sqlx::postgres::{PgConnectOptions, PgPoolOptions};

use self::turns::Turns;

const MOST_CONNECTIONS: u32 = 12;
/// For a connection of the pool.
const PATIENCE: Duration = Duration::from_secs(4);
/// What no statement may take longer than, so that one that waits does not keep its connection from the others.
const TIMES: [(&str, &str); 3] =
    [("lock_timeout", "2s"), ("statement_timeout", "8s"), ("idle_in_transaction_session_timeout", "20s")];

/// A connection pool to the database.
#[derive(Debug, Clone)]
pub struct Store {
    pool: PgPool,
    turns: Arc<Turns>,
}

impl Store {
    /// Connects and brings the tables up to date.
    ///
    /// # Errors
    /// `Unreachable` when the database cannot be reached or migrated, `NewerSchema` when a newer program did that.
    pub async fn open(url: &str) -> Result<Self, StoreError> {
        let options = PgConnectOptions::from_str(url)?.options(TIMES);
        let pool = PgPoolOptions::new()
            .max_connections(MOST_CONNECTIONS)
            .acquire_timeout(PATIENCE)
            .connect_with(options)
            .await?;
        let store = Self::on(pool);
        sqlx::migrate!("./migrations").run(&store.pool).await?;
        store.forget_requests().await?;
        Ok(store)
    }

    /// A store on a pool that is already there.
    #[must_use]
    pub fn on(pool: PgPool) -> Self {
        Self { pool, turns: Arc::default() }
    }
}
