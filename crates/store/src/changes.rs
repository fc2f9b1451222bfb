use sqlx::postgres::PgListener;
use sqlx::{PgConnection, query};
use uuid::Uuid;

use crate::{Store, StoreError};

const CHANNEL: &str = "part_changed";

/// What became of a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Change {
    /// The part.
    pub part: Uuid,
    /// Its newest version.
    pub version: i64,
    /// Whether it is off the rack.
    pub removed: bool,
}

/// What a listening process hears.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Heard {
    /// A change that some process made.
    Change(Change),
    /// Listening began, or began again after a cut: changes before may have been missed.
    Gap,
}

impl Change {
    fn parse(payload: &str) -> Option<Self> {
        let mut words = payload.split(' ');
        let (part, version) = (words.next()?.parse().ok()?, words.next()?.parse().ok()?);
        Some(Self { part, version, removed: words.next() == Some("removed") })
    }

    /// Tells every process, once what is done on the connection is final.
    pub(crate) async fn tell(self, connection: &mut PgConnection) -> Result<(), StoreError> {
        let word = if self.removed { " removed" } else { "" };
        query("SELECT pg_notify($1, $2)")
            .bind(CHANNEL)
            .bind(format!("{} {}{word}", self.part, self.version))
            .execute(connection)
            .await?;
        Ok(())
    }
}

impl Store {
    /// Hands every change that any process makes to `hear`, until the connection is lost for good.
    ///
    /// # Errors
    /// `Unreachable` when listening cannot start or breaks off.
    pub async fn listen(&self, mut hear: impl FnMut(Heard) + Send) -> Result<(), StoreError> {
        let mut listener = PgListener::connect_with(&self.pool).await?;
        listener.listen(CHANNEL).await?;
        hear(Heard::Gap);
        loop {
            match listener.try_recv().await? {
                Some(notification) => {
                    if let Some(change) = Change::parse(notification.payload()) {
                        hear(Heard::Change(change));
                    }
                }
                // The connection was lost and is there again; what was told in between is gone.
                None => hear(Heard::Gap),
            }
        }
    }
}
