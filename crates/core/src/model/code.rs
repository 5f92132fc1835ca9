//! Enums of which each value is one word in JSON, in the API and in the database, also where the value names an end.
//!
//! Decides that a code has one spelling everywhere, and that former spellings are still read. What the codes mean is
//! decided where each enum is declared.

/// Gives an enum its codes. A value may name an end, as in `New(Right)`. After `or` follow codes of former versions, which are
/// read and never written.
macro_rules! codes {
    ($name:ident, $about:literal: {
        $($variant:ident $(($end:ident))? = $code:literal $(or $former:literal)*),+ $(,)?
    }) => {
        impl $name {
            /// Every value, in the order in which they are declared.
            pub const ALL: &[$name] = &[$($name::$variant $(($crate::model::End::$end))?),+];

            /// The code that stands for it.
            pub fn id(self) -> &'static str {
                match self {
                    $($name::$variant $(($crate::model::End::$end))? => $code),+
                }
            }

            /// The value that a code stands for; none for a word that is no code.
            pub fn of_id(code: &str) -> Option<$name> {
                match code {
                    $($code $(| $former)* => Some($name::$variant $(($crate::model::End::$end))?),)+
                    _ => None,
                }
            }
        }

        impl serde::Serialize for $name {
            fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                serializer.serialize_str(self.id())
            }
        }

        impl<'de> serde::Deserialize<'de> for $name {
            fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<$name, D::Error> {
                let code = std::borrow::Cow::<'de, str>::deserialize(deserializer)?;
                $name::of_id(&code).ok_or_else(|| serde::de::Error::unknown_variant(&code, &[$($code),+]))
            }
        }

        #[cfg(feature = "schema")]
        impl utoipa::PartialSchema for $name {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
                utoipa::openapi::ObjectBuilder::new()
                    .schema_type(utoipa::openapi::schema::Type::String)
                    .description(Some($about))
                    .enum_values(Some([$($code),+]))
                    .into()
            }
        }

        #[cfg(feature = "schema")]
        impl utoipa::ToSchema for $name {}
    };
}

pub(crate) use codes;
