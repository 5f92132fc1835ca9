//! Comments and past changes that were carried: which of one end became which of the other.

use std::collections::BTreeSet;

use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, RunQueryDsl};
use hovrel_core::model::End;
use serde_json::Value;
use uuid::Uuid;

use crate::end::EndColumn;
use crate::jobs::{Holder, fence};
use crate::schema::accepted_pieces;
use crate::{Store, StoreError};

/// Two items, whichever route joined them.
#[derive(Debug, Clone, Copy)]
pub struct Both<'a> {
    /// The system of the left end.
    pub left_system: Uuid,
    /// The kind of the item at the left, by its id.
    pub left_kind: &'a str,
    /// Id of the item at the left.
    pub left_id: &'a str,
    /// The system of the right end.
    pub right_system: Uuid,
    /// The kind of the item at the right, by its id.
    pub right_kind: &'a str,
    /// Id of the item at the right.
    pub right_id: &'a str,
}

/// A comment or past change that was found at both ends, or was sent.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = accepted_pieces)]
pub struct PieceRow {
    /// Id of the item at the left.
    pub left_id: String,
    /// Id of the item at the right.
    pub right_id: String,
    /// The slot, as it is spelt.
    pub slot: String,
    /// The end that it was written into.
    #[diesel(deserialize_as = EndColumn)]
    pub written_end: End,
    /// Its id at the end that it comes from.
    pub piece: String,
    /// Its id at the end that it was written into; none if that does not say, or until it does.
    pub became: Option<String>,
    /// What it says, as a fingerprint.
    pub said: String,
    /// What stood there when it had arrived, as a fingerprint; none if nobody looked.
    pub became_said: Option<String>,
    /// Whether a person lets it be that one end has it no more.
    pub let_be: bool,
    /// How far it came, by its code.
    pub state: String,
    /// While it is intended: the pieces that were there before it was sent.
    pub before: Option<Value>,
}

/// A comment or past change to remember.
#[derive(Debug, Clone)]
pub struct NewPiece {
    /// The slot, as it is spelt.
    pub slot: String,
    /// The end that it is written into.
    pub written_end: End,
    /// Its id at the end that it comes from.
    pub piece: String,
    /// Its id at the end that it is written into; none if that does not say, or until it does.
    pub became: Option<String>,
    /// What it says, as a fingerprint.
    pub said: String,
    /// What stands there when it has arrived, as a fingerprint; none if nobody looked.
    pub became_said: Option<String>,
}

/// A comment or past change that one end has no more, and that a person lets be at the other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LetBe {
    /// The slot, as it is spelt.
    pub slot: String,
    /// The end that has it.
    pub end: End,
    /// Its id there.
    pub id: String,
}

/// Rows per statement.
const BATCH: usize = 1000;

type Key<'a> = (Uuid, &'a str, &'a str, Uuid, &'a str, &'a str, &'a str, &'static str, &'a str);

fn key<'a>(of: Both<'a>, piece: &'a NewPiece) -> Key<'a> {
    let Both { left_system, left_kind, left_id, right_system, right_kind, right_id } = of;
    let (slot, end) = (piece.slot.as_str(), piece.written_end.id());
    (left_system, left_kind, left_id, right_system, right_kind, right_id, slot, end, &piece.piece)
}

impl Store {
    /// What a kind of one system accepted of a kind of another, of all items.
    pub async fn accepted_pieces(&self, left: (Uuid, &str), right: (Uuid, &str)) -> Result<Vec<PieceRow>, StoreError> {
        let query = accepted_pieces::table
            .filter(
                accepted_pieces::left_system
                    .eq(left.0)
                    .and(accepted_pieces::left_kind.eq(left.1))
                    .and(accepted_pieces::right_system.eq(right.0))
                    .and(accepted_pieces::right_kind.eq(right.1)),
            )
            .order((accepted_pieces::left_id, accepted_pieces::right_id, accepted_pieces::at, accepted_pieces::piece))
            .select(PieceRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// What one item accepted of another.
    pub async fn pieces_of(&self, of: Both<'_>) -> Result<Vec<PieceRow>, StoreError> {
        let query = accepted_pieces::table
            .filter(of_both(of))
            .order((accepted_pieces::at, accepted_pieces::piece))
            .select(PieceRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Notes that a piece is about to be sent, with what was there before. One that was accepted stays so.
    pub async fn intend_piece(
        &self,
        holder: Holder,
        of: Both<'_>,
        piece: &NewPiece,
        before: &Value,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::insert_into(accepted_pieces::table)
                    .values((row(of, piece, "intended"), accepted_pieces::before.eq(before)))
                    .on_conflict_do_nothing()
                    .execute(connection)
                    .await?;
                let intended =
                    accepted_pieces::table.find(key(of, piece)).filter(accepted_pieces::state.eq("intended"));
                diesel::update(intended).set(accepted_pieces::before.eq(before)).execute(connection).await?;
                Ok(())
            })
            .await
    }

    /// Notes that a piece was accepted.
    pub async fn piece_accepted(&self, holder: Holder, of: Both<'_>, piece: &NewPiece) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::update(accepted_pieces::table.find(key(of, piece)))
                    .set((
                        accepted_pieces::state.eq("accepted"),
                        accepted_pieces::became.eq(&piece.became),
                        accepted_pieces::became_said.eq(&piece.became_said),
                        accepted_pieces::before.eq(None::<Value>),
                        accepted_pieces::at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    /// Notes that a piece that was to be sent did not arrive.
    pub async fn piece_not_sent(&self, holder: Holder, of: Both<'_>, piece: &NewPiece) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                let intended =
                    accepted_pieces::table.find(key(of, piece)).filter(accepted_pieces::state.eq("intended"));
                diesel::delete(intended).execute(connection).await?;
                Ok(())
            })
            .await
    }
}

#[diesel::dsl::auto_type(no_type_alias)]
fn of_both<'a>(of: Both<'a>) -> _ {
    let (left_system, right_system): (Uuid, Uuid) = (of.left_system, of.right_system);
    let left_kind: &'a str = of.left_kind;
    let left_id: &'a str = of.left_id;
    let right_kind: &'a str = of.right_kind;
    let right_id: &'a str = of.right_id;
    accepted_pieces::left_system
        .eq(left_system)
        .and(accepted_pieces::left_kind.eq(left_kind))
        .and(accepted_pieces::left_id.eq(left_id))
        .and(accepted_pieces::right_system.eq(right_system))
        .and(accepted_pieces::right_kind.eq(right_kind))
        .and(accepted_pieces::right_id.eq(right_id))
}

type Row<'a> = (
    (
        diesel::dsl::Eq<accepted_pieces::left_system, Uuid>,
        diesel::dsl::Eq<accepted_pieces::left_kind, &'a str>,
        diesel::dsl::Eq<accepted_pieces::left_id, &'a str>,
        diesel::dsl::Eq<accepted_pieces::right_system, Uuid>,
        diesel::dsl::Eq<accepted_pieces::right_kind, &'a str>,
        diesel::dsl::Eq<accepted_pieces::right_id, &'a str>,
    ),
    (
        diesel::dsl::Eq<accepted_pieces::slot, &'a str>,
        diesel::dsl::Eq<accepted_pieces::written_end, &'static str>,
        diesel::dsl::Eq<accepted_pieces::piece, &'a str>,
        diesel::dsl::Eq<accepted_pieces::became, &'a Option<String>>,
        diesel::dsl::Eq<accepted_pieces::said, &'a str>,
        diesel::dsl::Eq<accepted_pieces::became_said, &'a Option<String>>,
        diesel::dsl::Eq<accepted_pieces::state, &'a str>,
    ),
);

fn row<'a>(of: Both<'a>, piece: &'a NewPiece, state: &'a str) -> Row<'a> {
    (
        (
            accepted_pieces::left_system.eq(of.left_system),
            accepted_pieces::left_kind.eq(of.left_kind),
            accepted_pieces::left_id.eq(of.left_id),
            accepted_pieces::right_system.eq(of.right_system),
            accepted_pieces::right_kind.eq(of.right_kind),
            accepted_pieces::right_id.eq(of.right_id),
        ),
        (
            accepted_pieces::slot.eq(piece.slot.as_str()),
            accepted_pieces::written_end.eq(piece.written_end.id()),
            accepted_pieces::piece.eq(piece.piece.as_str()),
            accepted_pieces::became.eq(&piece.became),
            accepted_pieces::said.eq(piece.said.as_str()),
            accepted_pieces::became_said.eq(&piece.became_said),
            accepted_pieces::state.eq(state),
        ),
    )
}

/// Remembers pieces that were found at both ends, and that others are let be; with the change that found them.
pub(crate) async fn remember(
    connection: &mut diesel_async::AsyncPgConnection,
    of: Both<'_>,
    found: &[NewPiece],
    let_be: &[LetBe],
) -> Result<(), StoreError> {
    for batch in found.chunks(BATCH) {
        let rows: Vec<_> = batch.iter().map(|piece| row(of, piece, "accepted")).collect();
        diesel::insert_into(accepted_pieces::table)
            .values(rows)
            .on_conflict((
                accepted_pieces::left_system,
                accepted_pieces::left_kind,
                accepted_pieces::left_id,
                accepted_pieces::right_system,
                accepted_pieces::right_kind,
                accepted_pieces::right_id,
                accepted_pieces::slot,
                accepted_pieces::written_end,
                accepted_pieces::piece,
            ))
            .do_update()
            .set((
                accepted_pieces::state.eq("accepted"),
                accepted_pieces::became.eq(excluded(accepted_pieces::became)),
                accepted_pieces::became_said.eq(excluded(accepted_pieces::became_said)),
                accepted_pieces::before.eq(None::<Value>),
            ))
            .execute(connection)
            .await?;
    }
    for (slot, end) in let_be.iter().map(|l| (&l.slot, l.end)).collect::<BTreeSet<_>>() {
        let ids: Vec<&String> = let_be.iter().filter(|l| (&l.slot, l.end) == (slot, end)).map(|l| &l.id).collect();
        let copies = accepted_pieces::written_end.eq(end.id()).and(accepted_pieces::became.eq_any(ids.clone()));
        let own = accepted_pieces::written_end.eq(end.other().id()).and(accepted_pieces::piece.eq_any(ids));
        let theirs = of_both(of).and(accepted_pieces::slot.eq(slot)).and(own.or(copies.assume_not_null()));
        diesel::update(accepted_pieces::table.filter(theirs))
            .set(accepted_pieces::let_be.eq(true))
            .execute(connection)
            .await?;
    }
    Ok(())
}
