//! People who sign in, and their sessions.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl, SimpleAsyncConnection};
use uuid::Uuid;

use crate::schema::{people, sessions};
use crate::{Key, Store, StoreError};

/// Somebody who can sign in.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = people)]
pub struct Person {
    /// Its id.
    pub id: Uuid,
    /// What they sign in with.
    pub login: String,
    /// What people call it.
    pub name: String,
    /// Their password, hashed (Argon2id, RFC 9106).
    pub password_hash: String,
}

/// Somebody who is signed in.
#[derive(Debug, Clone)]
pub struct Session {
    /// Who it is.
    pub person: Person,
    /// What every change must bring along.
    pub csrf: String,
    /// The key that was shown in place of a sign-in; the person is who made it.
    pub key: Option<Key>,
}

impl Store {
    /// How many people there are; none on first start.
    pub async fn count_people(&self) -> Result<i64, StoreError> {
        Ok(people::table.count().get_result(&mut self.connection().await?).await?)
    }

    /// Makes the first person; none if there is one already. Of several at once, one makes it.
    pub async fn make_first_person(
        &self,
        login: &str,
        name: &str,
        password_hash: &str,
    ) -> Result<Option<Uuid>, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                connection.batch_execute("lock table people in share row exclusive mode").await?;
                if people::table.count().get_result::<i64>(connection).await? > 0 {
                    return Ok(None);
                }
                let id = Uuid::now_v7();
                diesel::insert_into(people::table)
                    .values((
                        people::id.eq(id),
                        people::login.eq(login),
                        people::name.eq(name),
                        people::password_hash.eq(password_hash),
                    ))
                    .execute(connection)
                    .await?;
                Ok(Some(id))
            })
            .await
    }

    /// Somebody by their login.
    pub async fn person_by_login(&self, login: &str) -> Result<Option<Person>, StoreError> {
        let query = people::table.filter(people::login.eq(login)).select(Person::as_select());
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }

    /// Begins a session and forgets those that ended.
    pub async fn begin_session(
        &self,
        token_hash: &[u8],
        person: Uuid,
        csrf: &str,
        until: DateTime<Utc>,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        diesel::delete(sessions::table.filter(sessions::expires_at.lt(diesel::dsl::now)))
            .execute(&mut connection)
            .await?;
        diesel::insert_into(sessions::table)
            .values((
                sessions::token_hash.eq(token_hash),
                sessions::person_id.eq(person),
                sessions::csrf.eq(csrf),
                sessions::expires_at.eq(until),
            ))
            .execute(&mut connection)
            .await?;
        Ok(())
    }

    /// The session of a token, by its hash; none if it ended.
    pub async fn session(&self, token_hash: &[u8]) -> Result<Option<Session>, StoreError> {
        let query = sessions::table
            .inner_join(people::table.on(people::id.eq(sessions::person_id)))
            .filter(sessions::token_hash.eq(token_hash))
            .filter(sessions::expires_at.gt(diesel::dsl::now))
            .select((Person::as_select(), sessions::csrf));
        let found: Option<(Person, String)> = query.first(&mut self.connection().await?).await.optional()?;
        Ok(found.map(|(person, csrf)| Session { person, csrf, key: None }))
    }

    /// Ends a session.
    pub async fn end_session(&self, token_hash: &[u8]) -> Result<(), StoreError> {
        diesel::delete(sessions::table.find(token_hash)).execute(&mut self.connection().await?).await?;
        Ok(())
    }
}

diesel::allow_tables_to_appear_in_same_query!(people, sessions);
