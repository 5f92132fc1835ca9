//! Surveys, and the artefacts they read.

use chrono::{DateTime, Utc};
use diesel::expression::{SqlLiteral, UncheckedBind};
use diesel::internal::derives::as_expression::Bound;
use diesel::prelude::*;
use diesel::sql_types::{Array, Bool, Text, Uuid as SqlUuid};
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{artefacts, surveys};
use crate::{Connection, Rows, Store, StoreError, Total};

/// What a survey of a project found.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = surveys)]
pub struct SurveyRow {
    /// Its project, by its id at the system.
    pub container: String,
    /// What the project is called.
    pub container_name: String,
    /// What the project can hold, as JSON.
    pub catalogue: Value,
    /// What was found, as JSON.
    pub survey: Value,
    /// When it was surveyed.
    pub at: DateTime<Utc>,
}

/// A survey without what it found.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = surveys)]
pub struct SurveyHead {
    /// The system of the project.
    pub system_id: Uuid,
    /// Its project, by its id at the system.
    pub container: String,
    /// What the project is called.
    pub container_name: String,
    /// When it was surveyed.
    pub at: DateTime<Utc>,
    /// When what the container can hold was read last.
    pub catalogue_at: DateTime<Utc>,
}

/// An artefact as it was surveyed.
#[derive(Debug, Clone, Queryable, QueryableByName, Selectable, Insertable)]
#[diesel(table_name = artefacts)]
pub struct ArtefactRow {
    /// Its system.
    pub system_id: Uuid,
    /// Its project, by its id at the system.
    pub container: String,
    /// Its kind, by its id.
    pub kind: String,
    /// Its id at its system.
    pub external_id: String,
    /// Its place in the list of its system.
    pub seq: i32,
    /// What people call it.
    pub key: String,
    /// Its title.
    pub title: String,
    /// The folders that hold it, as one text.
    pub path: String,
    /// The whole of it, as JSON.
    pub body: Value,
}

/// An artefact by what people call it.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = artefacts)]
pub struct Neighbour {
    /// Its id at its system.
    pub external_id: String,
    /// What people call it.
    pub key: String,
    /// Its title.
    pub title: String,
}

/// An artefact to keep, with everything it says for searching.
#[derive(Debug, Clone, Insertable)]
#[diesel(table_name = artefacts)]
pub struct NewArtefact {
    /// What is kept of it.
    #[diesel(embed)]
    pub row: ArtefactRow,
    /// Everything that it says, for searching.
    pub words: String,
}

/// Which artefacts of a container to list.
#[derive(Debug, Clone, Default)]
pub struct ArtefactFilter {
    /// Its kind, by its id.
    pub kind: String,
    /// Words in title, key or folder path.
    pub find: Option<String>,
    /// A field and the text it holds; empty text for an empty field.
    pub field: Option<(String, String)>,
    /// Only items with files.
    pub with_files: bool,
    /// Only items whose text could not be read exactly.
    pub with_read_losses: bool,
    /// Go on after this place.
    pub after: i32,
    /// At most so many.
    pub limit: i64,
}

/// Rows per statement. PostgreSQL takes 65,535 parameters; what is stored is large in memory.
const BATCH: usize = 500;

impl ArtefactFilter {
    /// Whether every artefact of the kind passes.
    fn takes_all(&self) -> bool {
        self.find.is_none() && self.field.is_none() && !self.with_files && !self.with_read_losses
    }
}

impl Store {
    /// Puts a survey and its artefacts in place of the ones before, in one transaction. Rows are made as
    /// they are written, so that not all of them are in memory at once.
    pub async fn keep_survey(
        &self,
        system: Uuid,
        container: &str,
        container_name: &str,
        catalogue: &Value,
        survey: &Value,
        mut rows: Rows<'_, NewArtefact>,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let here = surveys::system_id.eq(system).and(surveys::container.eq(container));
                diesel::delete(surveys::table.filter(here)).execute(connection).await?;
                diesel::insert_into(surveys::table)
                    .values((
                        surveys::system_id.eq(system),
                        surveys::container.eq(container),
                        surveys::container_name.eq(container_name),
                        surveys::catalogue.eq(catalogue),
                        surveys::survey.eq(survey),
                    ))
                    .execute(connection)
                    .await?;
                loop {
                    let batch = rows.by_ref().take(BATCH).collect::<Result<Vec<_>, _>>()?;
                    if batch.is_empty() {
                        return Ok(());
                    }
                    diesel::insert_into(artefacts::table).values(batch).execute(connection).await?;
                }
            })
            .await
    }

    /// Puts what a container can hold in place of what it could when it was surveyed; what is in it stays as surveyed.
    pub async fn keep_catalogue(&self, system: Uuid, container: &str, catalogue: &Value) -> Result<(), StoreError> {
        diesel::update(surveys::table.find((system, container)))
            .set((surveys::catalogue.eq(catalogue), surveys::catalogue_at.eq(diesel::dsl::now)))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// The last survey of each project of a system.
    pub async fn surveys(&self, system: Uuid) -> Result<Vec<SurveyRow>, StoreError> {
        let query = surveys::table.filter(surveys::system_id.eq(system)).order(surveys::container);
        Ok(query.select(SurveyRow::as_select()).load(&mut self.connection().await?).await?)
    }

    /// All surveys, without what they found.
    pub async fn survey_heads(&self) -> Result<Vec<SurveyHead>, StoreError> {
        Ok(surveys::table.select(SurveyHead::as_select()).load(&mut self.connection().await?).await?)
    }

    /// The last survey of a project; none if there was none.
    pub async fn survey(&self, system: Uuid, container: &str) -> Result<Option<SurveyRow>, StoreError> {
        let query = surveys::table.find((system, container)).select(SurveyRow::as_select());
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }

    /// When a container was surveyed, and when what it can hold was read.
    pub async fn read_at(
        &self,
        system: Uuid,
        container: &str,
    ) -> Result<Option<(DateTime<Utc>, DateTime<Utc>)>, StoreError> {
        let query = surveys::table.find((system, container)).select((surveys::at, surveys::catalogue_at));
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }

    /// When a container was surveyed.
    pub async fn surveyed_at(&self, system: Uuid, container: &str) -> Result<Option<DateTime<Utc>>, StoreError> {
        Ok(self.read_at(system, container).await?.map(|(surveyed_at, _)| surveyed_at))
    }

    /// Surveyed artefacts of a kind after a place in their order, some at a time: their places and bodies. For
    /// scope counts and previews, which need them all, but not as they are stored.
    pub async fn artefact_bodies(
        &self,
        system: Uuid,
        container: &str,
        kind: &str,
        after: i32,
    ) -> Result<Vec<(i32, Value)>, StoreError> {
        let query = artefacts::table
            .filter(
                artefacts::system_id.eq(system).and(artefacts::container.eq(container)).and(artefacts::kind.eq(kind)),
            )
            .filter(artefacts::seq.gt(after))
            .order(artefacts::seq)
            .limit(BATCH as i64)
            .select((artefacts::seq, artefacts::body));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// One page of artefacts and how many match.
    pub async fn list_artefacts(
        &self,
        system: Uuid,
        container: &str,
        filter: &ArtefactFilter,
    ) -> Result<(Vec<ArtefactRow>, Total), StoreError> {
        use diesel::dsl::sql;
        let matching = || {
            let mut query = artefacts::table
                .filter(artefacts::system_id.eq(system))
                .filter(artefacts::container.eq(container.to_owned()))
                .filter(artefacts::kind.eq(filter.kind.clone()))
                .into_boxed();
            if let Some(find) = &filter.find {
                query = query.filter(holds(find));
            }
            if let Some((field, value)) = &filter.field {
                // In brackets of its own: it stands among others that must hold too.
                let held = sql::<Bool>("(coalesce(body->'fields'->")
                    .bind::<Text, _>(field.clone())
                    .sql("->>'value', '') = ")
                    .bind::<Text, _>(value.clone())
                    .sql(" or jsonb_exists(body->'fields'->")
                    .bind::<Text, _>(field.clone())
                    .sql("->'value', ")
                    .bind::<Text, _>(value.clone())
                    .sql("))");
                query = query.filter(held);
            }
            for (wanted, list) in [(filter.with_files, "attachments"), (filter.with_read_losses, "read_losses")] {
                if wanted {
                    let some = sql::<Bool>("jsonb_array_length(body->").bind::<Text, _>(list).sql(") > 0");
                    query = query.filter(some);
                }
            }
            query
        };
        let mut connection = self.connection().await?;
        let places = async |connection: &mut Connection<'_>, after: i32, most: i64| {
            let query = matching().filter(artefacts::seq.gt(after)).order(artefacts::seq).limit(most);
            query.select(artefacts::seq).load::<i32>(connection).await
        };
        let (page, total) = if filter.takes_all() {
            // Numbers of a kind are without gaps, so that the last of them counts them.
            let last = matching().select(diesel::dsl::max(artefacts::seq));
            let last: Option<i32> = last.first(&mut connection).await?;
            (places(&mut connection, filter.after, filter.limit).await?, Total::exactly(last.map_or(0, i64::from)))
        } else {
            let counted = places(&mut connection, 0, Total::LIMIT).await?;
            let total = Total::of(&counted);
            match total.page(&counted, filter.after, filter.limit) {
                Some(page) => (page, total),
                None => (places(&mut connection, filter.after, filter.limit).await?, total),
            }
        };
        let here = artefacts::system_id.eq(system).and(artefacts::container.eq(container));
        let rows = artefacts::table
            .filter(here.and(artefacts::kind.eq(&filter.kind)).and(artefacts::seq.eq_any(page)))
            .order(artefacts::seq)
            .select(ArtefactRow::as_select())
            .load(&mut connection)
            .await?;
        Ok((rows, total))
    }

    /// One surveyed artefact.
    pub async fn artefact(
        &self,
        system: Uuid,
        container: &str,
        kind: &str,
        id: &str,
    ) -> Result<ArtefactRow, StoreError> {
        let query = artefacts::table.find((system, container, kind, id)).select(ArtefactRow::as_select());
        let found = query.first(&mut self.connection().await?).await.optional()?;
        found.ok_or(StoreError::Missing("the item"))
    }

    /// The artefacts before and after one in the order of its kind: id, key and title of each.
    pub async fn neighbours(&self, of: &ArtefactRow) -> Result<[Option<Neighbour>; 2], StoreError> {
        let list = || {
            artefacts::table
                .filter(artefacts::system_id.eq(of.system_id).and(artefacts::container.eq(&of.container)))
                .filter(artefacts::kind.eq(&of.kind))
                .select(Neighbour::as_select())
        };
        let mut connection = self.connection().await?;
        let before = list().filter(artefacts::seq.lt(of.seq)).order(artefacts::seq.desc());
        let before = before.first(&mut connection).await.optional()?;
        let after = list().filter(artefacts::seq.gt(of.seq)).order(artefacts::seq);
        Ok([before, after.first(&mut connection).await.optional()?])
    }

    /// Artefacts of any system that say the words, each by its beginning; the one that is called so comes first,
    /// then those whose title or key holds them. For the finder.
    pub async fn find_artefacts(&self, words: &str, limit: i64) -> Result<Vec<ArtefactRow>, StoreError> {
        use diesel::dsl::{not, sql};
        let like = format!("%{}%", escape_like(words));
        let named = || artefacts::title.ilike(like.clone()).or(artefacts::key.ilike(like.clone()));
        let called = || sql::<Bool>("lower(key) = lower(").bind::<Text, _>(words.to_owned()).sql(")");
        let said = sql::<Bool>("vector @@ to_tsquery('simple', ").bind::<Text, _>(beginnings(words)).sql(")");
        let at = (artefacts::system_id, artefacts::container, artefacts::kind, artefacts::external_id);
        let mut connection = self.connection().await?;
        let in_order = (artefacts::key, artefacts::system_id, artefacts::container, artefacts::external_id);
        // Where those that come first are enough the others are not looked for. What is put in order is where the items
        // are, and not all that they say; and of very many that hold the words, some.
        let mut found: Vec<At> =
            artefacts::table.filter(called()).order(in_order).limit(limit).select(at).load(&mut connection).await?;
        if (found.len() as i64) < limit {
            let mut holding: Vec<(String, At)> = artefacts::table
                .filter(holds(words).and(named()).and(not(called())))
                .limit(MOST_PUT_IN_ORDER)
                .select((artefacts::key, at))
                .load(&mut connection)
                .await?;
            holding.sort();
            found.extend(holding.into_iter().take(limit as usize - found.len()).map(|(_, at)| at));
        }
        let left = limit - found.len() as i64;
        if left > 0 {
            let mut others: Vec<(String, At)> = artefacts::table
                .filter(said.and(not(named())))
                .limit(MOST_PUT_IN_ORDER)
                .select((artefacts::key, at))
                .load(&mut connection)
                .await?;
            others.sort();
            found.extend(others.into_iter().take(left as usize).map(|(_, at)| at));
        }
        // Joined, and not asked for by lists of ids, containers and kinds: PostgreSQL takes those for all that can be made of
        // them, and reads the whole table.
        let (mut systems, mut containers, mut kinds, mut ids) = (vec![], vec![], vec![], vec![]);
        for (system, container, kind, id) in found {
            systems.push(system);
            containers.push(container);
            kinds.push(kind);
            ids.push(id);
        }
        let query = diesel::sql_query(
            "select system_id, container, kind, external_id, a.seq, a.key, a.title, a.path, a.body
            from unnest($1, $2, $3, $4) with ordinality as f (system_id, container, kind, external_id, place)
            join artefacts a using (system_id, container, kind, external_id) order by f.place",
        );
        let query = query
            .bind::<Array<SqlUuid>, _>(systems)
            .bind::<Array<Text>, _>(containers)
            .bind::<Array<Text>, _>(kinds)
            .bind::<Array<Text>, _>(ids);
        Ok(query.load(&mut connection).await?)
    }
}

/// Of more items that say what is looked for, so many are put in order.
const MOST_PUT_IN_ORDER: i64 = 200;

/// Whether `named` of a row, which is in small letters, holds a text, in whatever letters that is.
pub(crate) fn holds(text: &str) -> SqlLiteral<Bool, UncheckedBind<SqlLiteral<Bool>, Bound<Text, String>>> {
    // The index knows three letters at a time. Asked for fewer it gives every row there is, at twice the price of looking
    // at the rows, so that it isn't asked (documentation of pg_trgm, "Index Support").
    let in_index = text.split(|c: char| !c.is_alphanumeric()).any(|word| word.chars().count() >= 3);
    let column = if in_index { "named like lower(" } else { "(named || '') like lower(" };
    diesel::dsl::sql::<Bool>(column).bind::<Text, _>(format!("%{}%", escape_like(text))).sql(")")
}

/// Where an artefact is: system, container, kind and id.
type At = (Uuid, String, String, String);

/// A query for the beginnings of all words; nothing is found by no words.
fn beginnings(words: &str) -> String {
    let all = words.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty());
    all.map(|w| format!("{w}:*")).collect::<Vec<_>>().join(" & ")
}

pub(crate) fn escape_like(text: &str) -> String {
    text.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_")
}
