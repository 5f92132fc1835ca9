//! Recognising people: by e-mail, then login, then display name, then nobody.
//!
//! A display name counts only if exactly one person at the other end has it: two people of one name
//! are not a match.

use std::collections::HashMap;

use crate::catalogue::{Catalogue, User};
use crate::model::ShortForm;

/// How somebody was recognised.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum UserMatch {
    /// By their e-mail address.
    Email,
    /// By their login.
    Login,
    /// By their name.
    Name,
}

/// The people of one end, indexed.
#[derive(Debug, Clone, Default)]
pub struct UserMatcher {
    by_email: HashMap<String, Vec<String>>,
    by_login: HashMap<String, Vec<String>>,
    by_name: HashMap<String, Vec<String>>,
    logins: HashMap<String, String>,
    digest: String,
    former: String,
}

impl UserMatcher {
    /// Prepares people for looking them up.
    pub fn new(users: &[User]) -> UserMatcher {
        let [digest, former] = [ShortForm::Now, ShortForm::Former].map(|form| form.of_json(users));
        let mut matcher = UserMatcher { digest, former, ..UserMatcher::default() };
        for u in users {
            let add = |map: &mut HashMap<String, Vec<String>>, key: Option<&str>| {
                if let Some(key) = key.map(fold).filter(|k| !k.is_empty()) {
                    map.entry(key).or_default().push(u.id.clone());
                }
            };
            add(&mut matcher.by_email, u.email.as_deref());
            add(&mut matcher.by_login, u.login.as_deref());
            add(&mut matcher.by_name, Some(&u.name));
            if let Some(login) = &u.login {
                matcher.logins.insert(u.id.clone(), login.clone());
            }
        }
        matcher
    }

    /// Of everybody who is known there.
    pub(super) fn digest(&self, form: ShortForm) -> &str {
        match form {
            ShortForm::Now => &self.digest,
            ShortForm::Former => &self.former,
        }
    }

    /// The login of somebody, by id.
    pub fn login(&self, id: &str) -> Option<&str> {
        self.logins.get(id).map(String::as_str)
    }
}

/// The id at the other end of the person `user`, and how they were recognised.
pub(super) fn match_user(user: &User, others: &UserMatcher) -> Option<(String, UserMatch)> {
    let only = |map: &HashMap<String, Vec<String>>, key: Option<&str>| match map.get(&fold(key?)).map(Vec::as_slice) {
        Some([one]) => Some(one.clone()),
        _ => None,
    };
    only(&others.by_email, user.email.as_deref())
        .map(|id| (id, UserMatch::Email))
        .or_else(|| only(&others.by_login, user.login.as_deref()).map(|id| (id, UserMatch::Login)))
        .or_else(|| only(&others.by_name, Some(&user.name)).map(|id| (id, UserMatch::Name)))
}

/// What somebody at the left is called, and as whom they are recognised. Somebody whom the left catalogue no longer
/// lists can still be recognised by login.
pub fn recognise(id: &str, left: &Catalogue, others: &UserMatcher) -> (String, Option<(String, UserMatch)>) {
    let gone =
        || User { id: id.to_owned(), login: Some(id.to_owned()), email: None, name: id.to_owned(), active: false };
    let asked = left.user(id).cloned().unwrap_or_else(gone);
    let found = match_user(&asked, others);
    (asked.name, found)
}

fn fold(text: &str) -> String {
    text.trim().to_lowercase()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn user(id: &str, login: &str, email: &str, name: &str) -> User {
        let some = |s: &str| (!s.is_empty()).then(|| s.to_owned());
        User { id: id.into(), login: some(login), email: some(email), name: name.into(), active: true }
    }

    #[test]
    fn email_goes_before_login_and_login_before_name() {
        let right = UserMatcher::new(&[
            user("1", "ida", "ida@skarnvik.example", "Ida Brekke"),
            user("2", "ibrekke", "", "Ida B."),
            user("3", "per", "", "Per Lunde"),
            user("4", "per2", "", "Per Lunde"),
        ]);
        let find = |u: User| match_user(&u, &right);
        assert_eq!(find(user("a", "ibrekke", "IDA@skarnvik.example", "x")), Some(("1".into(), UserMatch::Email)));
        assert_eq!(find(user("a", "ibrekke", "", "Ida Brekke")), Some(("2".into(), UserMatch::Login)));
        assert_eq!(find(user("a", "", "", "ida brekke")), Some(("1".into(), UserMatch::Name)));
        assert_eq!(find(user("a", "", "", "Per Lunde")), None, "two people of one name are no match");
    }
}
