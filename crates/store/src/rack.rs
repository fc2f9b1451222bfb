//! Parts in lists, a page at a time, with what the rack shows of them.

use schemars::JsonSchema;
use serde::Serialize;
use sqlx::{FromRow, query, query_as};
use uuid::Uuid;

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

/// Which parts a list is of.
#[derive(Debug, Clone, Default)]
pub struct PartQuery {
    /// Words that stand in the names of part or project; empty for all.
    pub search: String,
    /// Those that were removed instead of those on the rack.
    pub removed: bool,
    /// How many come before the page.
    pub skip: i64,
    /// How many are on the page.
    pub most: i64,
}

/// A page of a list.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct PartPage {
    /// The parts on it, by project, oldest first.
    pub parts: Vec<PartRow>,
    /// How many there are on all pages.
    pub total: i64,
}

/// What the rack shows of one version of a part.
#[derive(Debug, Clone, PartialEq, Eq, FromRow)]
pub struct Summary {
    /// The part.
    pub part: Uuid,
    /// Its version.
    pub version: i64,
    /// `ready`, `left` or `empty`.
    pub state: String,
    /// Where it stands, in a line.
    pub headline: String,
    /// Its size in figures.
    pub figures: String,
}

/// Parts of a list: the words are looked for as they are, whatever signs they hold.
const LISTED: &str = "FROM parts JOIN projects ON projects.id = parts.project \
     WHERE (parts.removed_at IS NOT NULL) = $1 \
     AND ($2 = '' OR strpos(lower(parts.name), lower($2)) > 0 OR strpos(lower(projects.name), lower($2)) > 0)";

impl Store {
    /// A page of a list of parts.
    ///
    /// # Errors
    /// `Unreachable`, `TooSlow`.
    pub async fn parts(&self, asked: &PartQuery) -> Result<PartPage, StoreError> {
        let mut connection = self.pool.acquire().await?;
        let rows = format!(
            "SELECT parts.id, parts.name, parts.version, projects.name AS project {LISTED} \
             ORDER BY projects.created_at, projects.id, parts.created_at, parts.id OFFSET $3 LIMIT $4"
        );
        let parts = query_as(sqlx::AssertSqlSafe(rows))
            .bind(asked.removed)
            .bind(asked.search.trim())
            .bind(asked.skip)
            .bind(asked.most)
            .fetch_all(&mut *connection)
            .await?;
        let (total,): (i64,) = query_as(sqlx::AssertSqlSafe(format!("SELECT count(*) {LISTED}")))
            .bind(asked.removed)
            .bind(asked.search.trim())
            .fetch_one(&mut *connection)
            .await?;
        Ok(PartPage { parts, total })
    }

    /// What is kept of parts' newest versions, made by this program.
    ///
    /// # Errors
    /// `Unreachable`, `TooSlow`.
    pub async fn summaries(&self, parts: &[Uuid], program: &str) -> Result<Vec<Summary>, StoreError> {
        let rows = query_as(
            "SELECT part, summaries.version, state, headline, figures FROM summaries \
             JOIN parts ON parts.id = part AND parts.version = summaries.version \
             WHERE part = ANY($1) AND program = $2",
        )
        .bind(parts)
        .bind(program)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows)
    }

    /// The picture kept of a part's newest version.
    ///
    /// # Errors
    /// `Unreachable`, `TooSlow`.
    pub async fn picture(&self, part: Uuid, program: &str) -> Result<Option<Vec<u8>>, StoreError> {
        let row: Option<(Vec<u8>,)> = query_as(
            "SELECT picture FROM summaries \
             JOIN parts ON parts.id = part AND parts.version = summaries.version \
             WHERE part = $1 AND program = $2 AND removed_at IS NULL",
        )
        .bind(part)
        .bind(program)
        .fetch_optional(&self.pool)
        .await?;
        Ok(row.map(|(picture,)| picture))
    }

    /// Keeps what the rack shows of a version of a part.
    ///
    /// # Errors
    /// `Unreachable`, `TooSlow`.
    pub async fn keep(&self, summary: &Summary, program: &str, picture: &[u8]) -> Result<(), StoreError> {
        query(
            "INSERT INTO summaries (part, version, program, state, headline, figures, picture) \
             VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT (part) DO UPDATE SET version = $2, program = $3, \
             state = $4, headline = $5, figures = $6, picture = $7 WHERE summaries.version <= $2",
        )
        .bind(summary.part)
        .bind(summary.version)
        .bind(program)
        .bind(&summary.state)
        .bind(&summary.headline)
        .bind(&summary.figures)
        .bind(picture)
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}
