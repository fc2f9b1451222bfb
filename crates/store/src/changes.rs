use futures_util::stream::StreamExt;
use sqlx::postgres::PgListener;
use uuid::Uuid;

use crate::{Store, StoreError};

pub(crate) const CHANNEL: &str = "part_changed";

/// A part has a new version.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Change {
    /// The part.
    pub part: Uuid,
    /// Its new version.
    pub version: i64,
}

impl Change {
    fn parse(payload: &str) -> Option<Self> {
        let (part, version) = payload.split_once(' ')?;
        Some(Self { part: part.parse().ok()?, version: version.parse().ok()? })
    }

    pub(crate) fn payload(part: Uuid, version: i64) -> String {
        format!("{part} {version}")
    }
}

impl Store {
    /// Hands every change that any process makes to `hear`, until the connection is lost for good.
    ///
    /// # Errors
    /// `Unreachable` when listening cannot start or breaks off.
    pub async fn listen(&self, mut hear: impl FnMut(Change) + Send) -> Result<(), StoreError> {
        let mut listener = PgListener::connect_with(&self.pool).await?;
        listener.listen(CHANNEL).await?;
        let mut stream = listener.into_stream();
        while let Some(notification) = stream.next().await {
            if let Some(change) = Change::parse(notification?.payload()) {
                hear(change);
            }
        }
        Ok(())
    }
}
