//! What outlives the process: accounts, projects, parts and their edit log, in PostgreSQL.
//!
//! Every accepted change is one transaction that appends to the log and moves the part's version on. Processes that
//! share a database hear of changes by `LISTEN`/`NOTIFY`. Nothing here knows HTTP or geometry; recipes are JSON.

mod changes;
mod error;
mod parts;

pub use changes::Change;
pub use error::StoreError;
pub use parts::{Part, PartRow};

use sqlx::PgPool;
use sqlx::postgres::PgPoolOptions;

const MOST_CONNECTIONS: u32 = 12;

/// A connection pool to the database.
#[derive(Debug, Clone)]
pub struct Store {
    pool: PgPool,
}

impl Store {
    /// Connects and brings the tables up to date.
    ///
    /// # Errors
    /// `Unreachable` when the database cannot be reached or migrated.
    pub async fn open(url: &str) -> Result<Self, StoreError> {
        let pool = PgPoolOptions::new()
            .max_connections(MOST_CONNECTIONS)
            .acquire_timeout(std::time::Duration::from_secs(10))
            .connect(url)
            .await?;
        let store = Self { pool };
        store.migrate().await?;
        Ok(store)
    }

    /// A store on a pool that is already there.
    #[must_use]
    pub fn on(pool: PgPool) -> Self {
        Self { pool }
    }

    async fn migrate(&self) -> Result<(), StoreError> {
        sqlx::migrate!("./migrations")
            .run(&self.pool)
            .await
            .map_err(|e| StoreError::Unreachable(e.to_string()))
    }
}
