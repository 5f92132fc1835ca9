//! Enums that stand in a column as a word.
//!
//! Decides that a word has one spelling in the database, in JSON and in the API. A row with another word is refused when
//! it is read, unless the enum has a value for words that this version does not know.

/// Declares an enum with the word of each value, for columns of text. With `else`, the last value stands for every word
/// that is none of the others.
macro_rules! words {
    ($(#[$about:meta])* $name:ident { $($(#[$doc:meta])* $value:ident = $word:tt),+ $(,)? } $(else $other:ident)?) => {
        $(#[$about])*
        #[derive(
            Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize,
            diesel::expression::AsExpression, diesel::deserialize::FromSqlRow,
        )]
        #[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
        #[diesel(sql_type = diesel::sql_types::Text)]
        pub enum $name {
            $($(#[$doc])* #[serde(rename = $word)] $value),+
        }

        impl $name {
            /// The word that stands for it.
            pub fn id(self) -> &'static str {
                match self {
                    $($name::$value => $word),+
                }
            }
        }

        impl diesel::serialize::ToSql<diesel::sql_types::Text, diesel::pg::Pg> for $name {
            fn to_sql<'b>(
                &'b self,
                out: &mut diesel::serialize::Output<'b, '_, diesel::pg::Pg>,
            ) -> diesel::serialize::Result {
                <str as diesel::serialize::ToSql<diesel::sql_types::Text, diesel::pg::Pg>>::to_sql(self.id(), out)
            }
        }

        impl diesel::deserialize::FromSql<diesel::sql_types::Text, diesel::pg::Pg> for $name {
            fn from_sql(bytes: diesel::pg::PgValue<'_>) -> diesel::deserialize::Result<Self> {
                let word = <String as diesel::deserialize::FromSql<
                    diesel::sql_types::Text,
                    diesel::pg::Pg,
                >>::from_sql(bytes)?;
                let known = match word.as_str() {
                    $($word => Some($name::$value),)+
                    _ => None,
                };
                known$(.or(Some($name::$other)))?.ok_or_else(|| format!("“{word}” is no {}", stringify!($name)).into())
            }
        }
    };
}

pub(crate) use words;
