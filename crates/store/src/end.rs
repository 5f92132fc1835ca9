//! The ends of a route, as a column says them.

use diesel::deserialize::{self, FromSql, FromSqlRow};
use diesel::pg::{Pg, PgValue};
use diesel::sql_types::Text;
use hovrel_core::model::End;

/// An end as it is read from a column; it is written by [`End::id`].
#[derive(Debug, FromSqlRow)]
pub struct EndColumn(End);

impl FromSql<Text, Pg> for EndColumn {
    fn from_sql(bytes: PgValue<'_>) -> deserialize::Result<Self> {
        let word = <String as FromSql<Text, Pg>>::from_sql(bytes)?;
        End::of_id(&word).map(EndColumn).ok_or_else(|| format!("“{word}” is no end").into())
    }
}

impl From<EndColumn> for End {
    fn from(column: EndColumn) -> End {
        column.0
    }
}
