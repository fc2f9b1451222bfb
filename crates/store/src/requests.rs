//! Requests under a key of the asker's: one that is sent again, because its answer never came, is not carried out again.

use sqlx::{PgConnection, query, query_as};
use uuid::Uuid;

use crate::{Store, StoreError};

/// A key that the asker made for one request, and a word made from all that was asked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Key {
    /// The key.
    pub key: String,
    /// Equal for equal requests.
    pub fingerprint: Vec<u8>,
}

/// What a request came to that was carried out before.
pub(crate) struct Done {
    pub(crate) part: Uuid,
    pub(crate) added: Option<String>,
}

/// What is known of a key; a request under it that is being carried out right now is waited for.
async fn found(connection: &mut PgConnection, key: &Key) -> Result<Option<Done>, StoreError> {
    let row: Option<(Vec<u8>, Uuid, Option<String>)> =
        query_as("SELECT fingerprint, part, added FROM requests WHERE key = $1")
            .bind(&key.key)
            .fetch_optional(connection)
            .await?;
    row.map(
        |(fingerprint, part, added)| {
            if fingerprint == key.fingerprint { Ok(Done { part, added }) } else { Err(StoreError::KeyTaken) }
        },
    )
    .transpose()
}

/// Notes that a request is carried out in this transaction; gives what it came to if it was before.
pub(crate) async fn begin(
    connection: &mut PgConnection,
    key: Option<&Key>,
    part: Uuid,
    added: Option<&str>,
) -> Result<Option<Done>, StoreError> {
    let Some(key) = key else { return Ok(None) };
    let noted = query(
        "INSERT INTO requests (key, fingerprint, part, added) VALUES ($1, $2, $3, $4) ON CONFLICT (key) DO NOTHING",
    )
    .bind(&key.key)
    .bind(&key.fingerprint)
    .bind(part)
    .bind(added)
    .execute(&mut *connection)
    .await?;
    if noted.rows_affected() > 0 { Ok(None) } else { found(connection, key).await }
}

impl Store {
    /// The part that a request under this key made or changed, with the step that it added, if it was carried out.
    ///
    /// # Errors
    /// `KeyTaken` for a key of another request; `Unreachable`, `TooSlow`.
    pub async fn carried_out(&self, key: &Key) -> Result<Option<(Uuid, Option<String>)>, StoreError> {
        let mut connection = self.pool.acquire().await?;
        Ok(found(&mut connection, key).await?.map(|done| (done.part, done.added)))
    }

    /// Lets keys go that nobody will send again.
    ///
    /// # Errors
    /// `Unreachable`, `TooSlow`.
    pub async fn forget_requests(&self) -> Result<(), StoreError> {
        query("DELETE FROM requests WHERE made_at < now() - interval '2 days'").execute(&self.pool).await?;
        Ok(())
    }
}
