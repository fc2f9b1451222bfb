/// Why the store could not do something.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database is not there or does not answer.
    #[error("the database cannot be reached ({0}); nothing was changed, try again")]
    Unreachable(String),
    /// There is no such part.
    #[error("there is no such part; it may have been removed")]
    NoPart,
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

impl From<sqlx::Error> for StoreError {
    fn from(error: sqlx::Error) -> Self {
        match error {
            sqlx::Error::RowNotFound => Self::NoPart,
            other => Self::Unreachable(other.to_string()),
        }
    }
}
