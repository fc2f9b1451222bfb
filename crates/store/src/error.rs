use std::fmt::Display;

/// Why the store could not do something. Every kind but `Uncertain` means that nothing was changed.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database is not there or does not answer.
    #[error("the database cannot be reached ({0}); nothing was changed, try again")]
    Unreachable(String),
    /// The connection broke while a change was being made final.
    #[error(
        "the connection to the database broke while this was saved ({0}); it may have been saved: look before you repeat it"
    )]
    Uncertain(String),
    /// Something else holds the part, or everything takes too long.
    #[error(
        "the database took too long, since something else holds this part or all connections are in use; nothing was changed, try again"
    )]
    TooSlow,
    /// A text that the database cannot hold.
    #[error("the database cannot keep this ({0}); nothing was changed: leave unusual characters out")]
    BadValue(String),
    /// The tables are those of a newer program.
    #[error("this database was brought up to date by a newer program; start that one, or another database")]
    NewerSchema,
    /// A key that stands for another request.
    #[error("this idempotency key was used for another request; give every request a key of its own")]
    KeyTaken,
    /// There is no such part.
    #[error("there is no such part; it may have been removed")]
    NoPart,
    /// There is no such entry in the part's history.
    #[error("this part's history has no entry {0}; ask for its history")]
    NoEntry(i64),
    /// The part was changed by somebody else meanwhile.
    #[error(
        "the part was changed elsewhere (version {current}, yours is {yours}); your change was not made: load the part again and repeat it"
    )]
    Conflict {
        /// The version in the store.
        current: i64,
        /// The version that the change was made on.
        yours: i64,
    },
    /// There is nothing to undo or redo.
    #[error("there is nothing more to {0}")]
    NoMore(&'static str),
}

/// Classes and codes of PostgreSQL's errors (its manual, appendix A) that mean more than a broken connection.
fn of_code(code: &str, message: &str) -> Option<StoreError> {
    match code {
        // lock_not_available, query_canceled by a time-out, deadlock, serialization
        "55P03" | "57014" | "40P01" | "40001" | "53300" => Some(StoreError::TooSlow),
        // foreign_key_violation: what is noted of a part that is not there
        "23503" => Some(StoreError::NoPart),
        // undefined_column, undefined_table
        "42703" | "42P01" => Some(StoreError::NewerSchema),
        // Data exceptions, and what exceeds a limit of the program.
        _ if code.starts_with("22") || code.starts_with("54") => Some(StoreError::BadValue(message.into())),
        _ => None,
    }
}

/// Whether the server itself refused, and not the connection to it.
fn is_refusal(error: &sqlx::Error) -> bool {
    // Class 57 is the server going down, 08 the connection.
    let code = error.as_database_error().and_then(|e| e.code());
    code.is_some_and(|code| !code.starts_with("57P") && !code.starts_with("08"))
}

impl StoreError {
    /// Of what went wrong while a change was made final.
    pub(crate) fn at_the_end(error: sqlx::Error) -> Self {
        let refused =
            is_refusal(&error) || matches!(error, sqlx::Error::PoolTimedOut | sqlx::Error::RowNotFound);
        if refused { error.into() } else { Self::Uncertain(short(&error)) }
    }
}

fn short(error: &dyn Display) -> String {
    error.to_string().chars().take(160).collect()
}

impl From<sqlx::Error> for StoreError {
    fn from(error: sqlx::Error) -> Self {
        match &error {
            sqlx::Error::RowNotFound => return Self::NoPart,
            sqlx::Error::PoolTimedOut => return Self::TooSlow,
            _ => {}
        }
        let known = error.as_database_error().and_then(|e| of_code(&e.code()?, e.message()));
        known.unwrap_or_else(|| Self::Unreachable(short(&error)))
    }
}

impl From<sqlx::migrate::MigrateError> for StoreError {
    fn from(error: sqlx::migrate::MigrateError) -> Self {
        match error {
            sqlx::migrate::MigrateError::VersionMissing(_) => Self::NewerSchema,
            sqlx::migrate::MigrateError::Execute(error) => error.into(),
            other => Self::Unreachable(short(&other)),
        }
    }
}
