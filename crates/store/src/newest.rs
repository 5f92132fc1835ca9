//! The newest row of each of some routes or plans.
//!
//! Each is looked up by itself in an index, in one statement. What there was before grows for years, and a query that sorts
//! it out grows with it (PostgreSQL reads every row of a group for `distinct on`).

use diesel::prelude::*;
use diesel::sql_types::{Array, Uuid as SqlUuid};
use diesel_async::RunQueryDsl;
use uuid::Uuid;

use crate::{Connection, StoreError};

#[derive(QueryableByName)]
struct Newest {
    #[diesel(sql_type = SqlUuid)]
    id: Uuid,
}

/// What is the newest of each.
#[derive(Clone, Copy)]
pub(crate) enum Of {
    /// The plans of routes.
    Plans,
    /// The proofs of routes.
    Proofs,
    /// The dry runs of routes, their transfers, and the times they were proven.
    Jobs,
    /// The transfers of plans.
    Transfers,
}

impl Of {
    fn query(self) -> &'static str {
        match self {
            Of::Plans => {
                "select n.id from unnest($1) of(id), lateral
                (select id from plans where route_id = of.id order by made_at desc limit 1) n"
            }
            Of::Proofs => {
                "select n.id from unnest($1) of(id), lateral
                (select id from proofs where route_id = of.id order by at desc limit 1) n"
            }
            Of::Jobs => {
                "select n.id from unnest($1) of(id), unnest(array['dry_run', 'transfer', 'proof']) k(kind), lateral
                (select id from jobs where route_id = of.id and kind = k.kind order by created_at desc limit 1) n"
            }
            Of::Transfers => {
                "select n.id from unnest($1) of(id), lateral
                (select id from jobs where plan_id = of.id and kind = 'transfer' order by created_at desc limit 1) n"
            }
        }
    }
}

/// Ids of the newest of each; what has none is left out.
pub(crate) async fn newest(connection: &mut Connection<'_>, what: Of, of: &[Uuid]) -> Result<Vec<Uuid>, StoreError> {
    let query = diesel::sql_query(what.query()).bind::<Array<SqlUuid>, _>(of);
    let found: Vec<Newest> = query.load(connection).await?;
    Ok(found.into_iter().map(|n| n.id).collect())
}
