use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use sqlx::{FromRow, PgConnection, Postgres, Transaction, query, query_as};
use uuid::Uuid;

use crate::changes::Change;
use crate::requests::{self, Key};
use crate::{Store, StoreError};

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

/// A part as a change left it.
#[derive(Debug, Clone)]
pub struct Saved {
    /// The part.
    pub part: Part,
    /// The step that the change added, if it added one.
    pub added: Option<String>,
}

/// An edit to be appended to a part's log.
#[derive(Debug, Clone)]
pub struct NewEdit<'a> {
    /// The version that it was made on.
    pub version: i64,
    /// What it does, in a few words.
    pub label: &'a str,
    /// It as JSON.
    pub edit: &'a Value,
    /// The recipe after it.
    pub recipe: &'a Value,
    /// The part's name after it.
    pub name: &'a str,
    /// The step that it adds.
    pub added: Option<&'a str>,
}

#[derive(FromRow)]
struct Head {
    name: String,
    version: i64,
    head: i64,
    recipe: Value,
}

#[derive(FromRow)]
struct Step {
    seq: i64,
    parent: Option<i64>,
    label: String,
}

/// A key of PostgreSQL's advisory locks: whoever fills an empty database holds it.
const FILLING: i64 = 0x6b73_6669_6c6c;

impl Store {
    /// Makes parts in a project of a name, all or none, if no part was ever made, removed ones included; gives whether it did.
    ///
    /// # Errors
    /// `Unreachable`, `TooSlow`, `Uncertain`.
    pub async fn fill_if_empty(&self, project: &str, parts: &[(String, Value)]) -> Result<bool, StoreError> {
        let mut tx = self.pool.begin().await?;
        query("SELECT pg_advisory_xact_lock($1)").bind(FILLING).execute(&mut *tx).await?;
        let (any,): (bool,) = query_as("SELECT EXISTS (SELECT 1 FROM parts)").fetch_one(&mut *tx).await?;
        if any {
            return Ok(false);
        }
        let project = project_of(&mut tx, project).await?;
        for (name, recipe) in parts {
            insert(&mut tx, Uuid::new_v4(), project, name, recipe).await?;
        }
        finish(tx).await?;
        Ok(true)
    }

    /// Makes a part from a recipe, in a project of a name; under a key that was used before, gives the part made then.
    ///
    /// # Errors
    /// `KeyTaken`, `BadValue`, `Unreachable`, `TooSlow`, `Uncertain`.
    pub async fn create_part(
        &self,
        project: &str,
        name: &str,
        recipe: &Value,
        key: Option<&Key>,
    ) -> Result<Uuid, StoreError> {
        let id = Uuid::new_v4();
        let mut tx = self.pool.begin().await?;
        let project = project_of(&mut tx, project).await?;
        insert(&mut tx, id, project, name, recipe).await?;
        if let Some(done) = requests::begin(&mut tx, key, id, None).await? {
            // What was just made goes with the transaction.
            return Ok(done.part);
        }
        finish(tx).await?;
        Ok(id)
    }

    /// A part with its recipe.
    ///
    /// # Errors
    /// `NoPart`, `Unreachable`, `TooSlow`.
    pub async fn part(&self, id: Uuid) -> Result<Part, StoreError> {
        let mut connection = self.pool.acquire().await?;
        read(&mut connection, id).await
    }

    /// The version that a part is at.
    ///
    /// # Errors
    /// `NoPart`, `Unreachable`, `TooSlow`.
    pub async fn version(&self, id: Uuid) -> Result<i64, StoreError> {
        let (version,) = query_as("SELECT version FROM parts WHERE id = $1 AND removed_at IS NULL")
            .bind(id)
            .fetch_one(&self.pool)
            .await?;
        Ok(version)
    }

    /// Appends an edit; under a key that was used before, gives the part as it is now.
    ///
    /// # Errors
    /// `Conflict` when the part has moved on, `NoPart`, `KeyTaken`, `BadValue`, `Unreachable`, `TooSlow`, `Uncertain`.
    pub async fn append(&self, id: Uuid, edit: &NewEdit<'_>, key: Option<&Key>) -> Result<Saved, StoreError> {
        let _turn = self.turns.turn(id).await?;
        let mut tx = self.pool.begin().await?;
        if let Some(done) = requests::begin(&mut tx, key, id, edit.added).await? {
            return Ok(Saved { part: read(&mut tx, done.part).await?, added: done.added });
        }
        let head = locked(&mut tx, id, edit.version).await?;
        let (seq,): (i64,) = query_as(
            "INSERT INTO edits (part, seq, parent, label, edit, recipe) \
             SELECT $1, max(seq) + 1, $2, $3, $4, $5 FROM edits WHERE part = $1 RETURNING seq",
        )
        .bind(id)
        .bind(head)
        .bind(edit.label)
        .bind(edit.edit)
        .bind(edit.recipe)
        .fetch_one(&mut *tx)
        .await?;
        move_to(&mut tx, id, seq, edit.name).await?;
        // Read before the end: once it is final, nothing may fail any more.
        let part = read(&mut tx, id).await?;
        finish(tx).await?;
        Ok(Saved { part, added: edit.added.map(Into::into) })
    }

    /// Takes back the newest edit, or brings the one taken back last again.
    ///
    /// # Errors
    /// `NoMore` at either end, `Conflict`, `NoPart`, `KeyTaken`, `Unreachable`, `TooSlow`, `Uncertain`.
    pub async fn step_history(
        &self,
        id: Uuid,
        version: i64,
        back: bool,
        key: Option<&Key>,
    ) -> Result<Part, StoreError> {
        let _turn = self.turns.turn(id).await?;
        let mut tx = self.pool.begin().await?;
        if let Some(done) = requests::begin(&mut tx, key, id, None).await? {
            return read(&mut tx, done.part).await;
        }
        let head = locked(&mut tx, id, version).await?;
        let target = if back {
            step(&mut tx, id, head).await?.and_then(|e| e.parent)
        } else {
            newest_child(&mut tx, id, head).await?.map(|e| e.seq)
        };
        let target = target.ok_or(StoreError::NoMore(if back { "undo" } else { "redo" }))?;
        let (name,): (Option<String>,) =
            query_as("SELECT recipe ->> 'name' FROM edits WHERE part = $1 AND seq = $2")
                .bind(id)
                .bind(target)
                .fetch_one(&mut *tx)
                .await?;
        move_to(&mut tx, id, target, name.as_deref().unwrap_or("Part")).await?;
        let part = read(&mut tx, id).await?;
        finish(tx).await?;
        Ok(part)
    }

    /// Takes a part off the rack, or puts it back. Doing it twice is no fault.
    ///
    /// # Errors
    /// `NoPart`, `Unreachable`, `TooSlow`, `Uncertain`.
    pub async fn set_removed(&self, id: Uuid, removed: bool) -> Result<(), StoreError> {
        let _turn = self.turns.turn(id).await?;
        let mut tx = self.pool.begin().await?;
        let (version,): (i64,) = query_as(
            "UPDATE parts SET removed_at = CASE WHEN $2 THEN coalesce(removed_at, now()) END WHERE id = $1 RETURNING version",
        )
        .bind(id)
        .bind(removed)
        .fetch_one(&mut *tx)
        .await?;
        Change { part: id, version, removed }.tell(&mut tx).await?;
        finish(tx).await
    }
}

/// Makes a transaction final. Only here can it be uncertain whether something was changed.
async fn finish(tx: Transaction<'_, Postgres>) -> Result<(), StoreError> {
    tx.commit().await.map_err(StoreError::at_the_end)
}

/// The project of a name, made if it is not there; of two that are asked for at once only one is made.
async fn project_of(connection: &mut PgConnection, name: &str) -> Result<Uuid, StoreError> {
    let known: Option<(Uuid,)> = query_as("SELECT id FROM projects WHERE name = $1 AND owner IS NULL")
        .bind(name)
        .fetch_optional(&mut *connection)
        .await?;
    if let Some((id,)) = known {
        return Ok(id);
    }
    let (id,) = query_as(
        "INSERT INTO projects (id, name) VALUES ($1, $2) \
         ON CONFLICT (name, owner) DO UPDATE SET name = excluded.name RETURNING id",
    )
    .bind(Uuid::new_v4())
    .bind(name)
    .fetch_one(connection)
    .await?;
    Ok(id)
}

async fn insert(
    connection: &mut PgConnection,
    id: Uuid,
    project: Uuid,
    name: &str,
    recipe: &Value,
) -> Result<(), StoreError> {
    query("INSERT INTO parts (id, project, name, recipe, created_at) VALUES ($1, $2, $3, $4, clock_timestamp())")
        .bind(id)
        .bind(project)
        .bind(name)
        .bind(recipe)
        .execute(&mut *connection)
        .await?;
    query("INSERT INTO edits (part, seq, parent, label, recipe) VALUES ($1, 0, NULL, 'Begin', $2)")
        .bind(id)
        .bind(recipe)
        .execute(connection)
        .await?;
    Ok(())
}

async fn read(connection: &mut PgConnection, id: Uuid) -> Result<Part, StoreError> {
    let head: Head =
        query_as("SELECT name, version, head, recipe FROM parts WHERE id = $1 AND removed_at IS NULL")
            .bind(id)
            .fetch_one(&mut *connection)
            .await?;
    let here = step(connection, id, head.head).await?;
    let next = newest_child(connection, id, head.head).await?;
    Ok(Part {
        id,
        name: head.name,
        version: head.version,
        recipe: head.recipe,
        undo: here.and_then(|e| e.parent.map(|_| e.label)),
        redo: next.map(|e| e.label),
    })
}

/// Locks the part's row and gives its head, if it is still at `version`.
async fn locked(connection: &mut PgConnection, id: Uuid, version: i64) -> Result<i64, StoreError> {
    let (current, head): (i64, i64) =
        query_as("SELECT version, head FROM parts WHERE id = $1 AND removed_at IS NULL FOR UPDATE")
            .bind(id)
            .fetch_one(connection)
            .await?;
    if current == version { Ok(head) } else { Err(StoreError::Conflict { current, yours: version }) }
}

async fn step(connection: &mut PgConnection, id: Uuid, seq: i64) -> Result<Option<Step>, StoreError> {
    let found = query_as("SELECT seq, parent, label FROM edits WHERE part = $1 AND seq = $2")
        .bind(id)
        .bind(seq)
        .fetch_optional(connection)
        .await?;
    Ok(found)
}

async fn newest_child(connection: &mut PgConnection, id: Uuid, seq: i64) -> Result<Option<Step>, StoreError> {
    let found = query_as(
        "SELECT seq, parent, label FROM edits WHERE part = $1 AND parent = $2 ORDER BY seq DESC LIMIT 1",
    )
    .bind(id)
    .bind(seq)
    .fetch_optional(connection)
    .await?;
    Ok(found)
}

/// Puts the part at an entry of its log, moves its version on and tells everybody.
async fn move_to(connection: &mut PgConnection, id: Uuid, seq: i64, name: &str) -> Result<(), StoreError> {
    let (version,): (i64,) = query_as(
        "UPDATE parts SET head = $2, name = $3, version = version + 1, changed_at = now(), \
         recipe = (SELECT recipe FROM edits WHERE part = $1 AND seq = $2) WHERE id = $1 RETURNING version",
    )
    .bind(id)
    .bind(seq)
    .bind(name)
    .fetch_one(&mut *connection)
    .await?;
    Change { part: id, version, removed: false }.tell(connection).await
}
