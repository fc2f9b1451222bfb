use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::changes::{CHANNEL, Change};
use crate::{Store, StoreError};

/// A part in a list.
#[derive(Debug, Clone, FromRow, Serialize, JsonSchema)]
pub struct PartRow {
    /// Its id.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// Its version.
    pub version: i64,
    /// The project that it is in.
    pub project: String,
}

/// A part with its recipe.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Part {
    /// Its id.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// Its version.
    pub version: i64,
    /// Its recipe.
    pub recipe: Value,
    /// What undo would take back.
    pub undo: Option<String>,
    /// What redo would bring again.
    pub redo: Option<String>,
}

#[derive(FromRow)]
struct Head {
    name: String,
    version: i64,
    head: i64,
    recipe: Value,
}

#[derive(FromRow)]
struct Entry {
    seq: i64,
    parent: Option<i64>,
    label: String,
}

impl Store {
    /// The project of a name, made if it is not there.
    ///
    /// # Errors
    /// `Unreachable`.
    pub async fn project(&self, name: &str) -> Result<Uuid, StoreError> {
        let known: Option<(Uuid,)> =
            sqlx::query_as("SELECT id FROM projects WHERE name = $1 ORDER BY created_at LIMIT 1")
                .bind(name)
                .fetch_optional(&self.pool)
                .await?;
        if let Some((id,)) = known {
            return Ok(id);
        }
        let id = Uuid::new_v4();
        sqlx::query("INSERT INTO projects (id, name) VALUES ($1, $2)")
            .bind(id)
            .bind(name)
            .execute(&self.pool)
            .await?;
        Ok(id)
    }

    /// All parts that are not removed, oldest first.
    ///
    /// # Errors
    /// `Unreachable`.
    pub async fn parts(&self) -> Result<Vec<PartRow>, StoreError> {
        let rows = sqlx::query_as(
            "SELECT parts.id, parts.name, parts.version, projects.name AS project FROM parts \
             JOIN projects ON projects.id = parts.project WHERE removed_at IS NULL \
             ORDER BY projects.created_at, parts.created_at, parts.id",
        )
        .fetch_all(&self.pool)
        .await?;
        Ok(rows)
    }

    /// Whether any part was ever made, removed ones included.
    ///
    /// # Errors
    /// `Unreachable`.
    pub async fn has_parts(&self) -> Result<bool, StoreError> {
        let (any,): (bool,) =
            sqlx::query_as("SELECT EXISTS (SELECT 1 FROM parts)").fetch_one(&self.pool).await?;
        Ok(any)
    }

    /// Makes a part from a recipe.
    ///
    /// # Errors
    /// `Unreachable`.
    pub async fn create_part(&self, project: Uuid, name: &str, recipe: &Value) -> Result<Uuid, StoreError> {
        let id = Uuid::new_v4();
        let mut tx = self.pool.begin().await?;
        sqlx::query("INSERT INTO parts (id, project, name, recipe, created_at) VALUES ($1, $2, $3, $4, clock_timestamp())")
            .bind(id)
            .bind(project)
            .bind(name)
            .bind(recipe)
            .execute(&mut *tx)
            .await?;
        sqlx::query("INSERT INTO edits (part, seq, parent, label, recipe) VALUES ($1, 0, NULL, 'Begin', $2)")
            .bind(id)
            .bind(recipe)
            .execute(&mut *tx)
            .await?;
        tx.commit().await?;
        Ok(id)
    }

    /// A part with its recipe.
    ///
    /// # Errors
    /// `NoPart`, `Unreachable`.
    pub async fn part(&self, id: Uuid) -> Result<Part, StoreError> {
        let mut connection = self.pool.acquire().await?;
        let head: Head = sqlx::query_as(
            "SELECT name, version, head, recipe FROM parts WHERE id = $1 AND removed_at IS NULL",
        )
        .bind(id)
        .fetch_one(&mut *connection)
        .await?;
        let here = entry(&mut connection, id, head.head).await?;
        let next = newest_child(&mut connection, id, head.head).await?;
        Ok(Part {
            id,
            name: head.name,
            version: head.version,
            recipe: head.recipe,
            undo: here.and_then(|e| e.parent.map(|_| e.label)),
            redo: next.map(|e| e.label),
        })
    }

    /// Appends an edit that was made on `version` and gives the new version.
    ///
    /// # Errors
    /// `Conflict` when the part has moved on, `NoPart`, `Unreachable`.
    pub async fn append(
        &self,
        id: Uuid,
        version: i64,
        label: &str,
        edit: &Value,
        recipe: &Value,
        name: &str,
    ) -> Result<i64, StoreError> {
        let mut tx = self.pool.begin().await?;
        let head = locked(&mut tx, id, version).await?;
        let (seq,): (i64,) = sqlx::query_as(
            "INSERT INTO edits (part, seq, parent, label, edit, recipe) \
             SELECT $1, max(seq) + 1, $2, $3, $4, $5 FROM edits WHERE part = $1 RETURNING seq",
        )
        .bind(id)
        .bind(head)
        .bind(label)
        .bind(edit)
        .bind(recipe)
        .fetch_one(&mut *tx)
        .await?;
        let version = move_to(&mut tx, id, seq, name).await?;
        tx.commit().await?;
        Ok(version)
    }

    /// Takes back the newest edit, or brings the one taken back last again.
    ///
    /// # Errors
    /// `NoMore` at either end, `Conflict`, `NoPart`, `Unreachable`.
    pub async fn step_history(&self, id: Uuid, version: i64, back: bool) -> Result<i64, StoreError> {
        let mut tx = self.pool.begin().await?;
        let head = locked(&mut tx, id, version).await?;
        let target = if back {
            entry(&mut tx, id, head).await?.and_then(|e| e.parent)
        } else {
            newest_child(&mut tx, id, head).await?.map(|e| e.seq)
        };
        let target = target.ok_or(StoreError::NoMore(if back { "undo" } else { "redo" }))?;
        let (name,): (Option<String>,) =
            sqlx::query_as("SELECT recipe ->> 'name' FROM edits WHERE part = $1 AND seq = $2")
                .bind(id)
                .bind(target)
                .fetch_one(&mut *tx)
                .await?;
        let version = move_to(&mut tx, id, target, name.as_deref().unwrap_or("Part")).await?;
        tx.commit().await?;
        Ok(version)
    }

    /// Takes a part off the rack, or puts it back.
    ///
    /// # Errors
    /// `NoPart`, `Unreachable`.
    pub async fn set_removed(&self, id: Uuid, removed: bool) -> Result<(), StoreError> {
        let done = sqlx::query("UPDATE parts SET removed_at = CASE WHEN $2 THEN now() END WHERE id = $1")
            .bind(id)
            .bind(removed)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 { Err(StoreError::NoPart) } else { Ok(()) }
    }
}

/// Locks the part's row and gives its head, if it is still at `version`.
async fn locked(connection: &mut PgConnection, id: Uuid, version: i64) -> Result<i64, StoreError> {
    let (current, head): (i64, i64) =
        sqlx::query_as("SELECT version, head FROM parts WHERE id = $1 AND removed_at IS NULL FOR UPDATE")
            .bind(id)
            .fetch_one(connection)
            .await?;
    if current == version { Ok(head) } else { Err(StoreError::Conflict { current, yours: version }) }
}

async fn entry(connection: &mut PgConnection, id: Uuid, seq: i64) -> Result<Option<Entry>, StoreError> {
    let found = sqlx::query_as("SELECT seq, parent, label FROM edits WHERE part = $1 AND seq = $2")
        .bind(id)
        .bind(seq)
        .fetch_optional(connection)
        .await?;
    Ok(found)
}

async fn newest_child(
    connection: &mut PgConnection,
    id: Uuid,
    seq: i64,
) -> Result<Option<Entry>, StoreError> {
    let found = sqlx::query_as(
        "SELECT seq, parent, label FROM edits WHERE part = $1 AND parent = $2 ORDER BY seq DESC LIMIT 1",
    )
    .bind(id)
    .bind(seq)
    .fetch_optional(connection)
    .await?;
    Ok(found)
}

/// Puts the part at an entry of its log, moves its version on and tells everybody.
async fn move_to(connection: &mut PgConnection, id: Uuid, seq: i64, name: &str) -> Result<i64, StoreError> {
    let (version,): (i64,) = sqlx::query_as(
        "UPDATE parts SET head = $2, name = $3, version = version + 1, changed_at = now(), \
         recipe = (SELECT recipe FROM edits WHERE part = $1 AND seq = $2) WHERE id = $1 RETURNING version",
    )
    .bind(id)
    .bind(seq)
    .bind(name)
    .fetch_one(&mut *connection)
    .await?;
    sqlx::query("SELECT pg_notify($1, $2)")
        .bind(CHANNEL)
        .bind(Change::payload(id, version))
        .execute(connection)
        .await?;
    Ok(version)
}
