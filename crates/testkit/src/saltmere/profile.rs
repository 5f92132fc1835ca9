//! The profile of Saltmere, as an administrator writes it who knows some of its habits.

use super::Habits;

/// `whole` says that an update is sent whole, as it must be where updates replace the item.
pub fn profile(habits: Habits, whole: bool) -> String {
    let (version, concurrency) = match habits.counts_looks {
        true => ("", "last_wins"),
        false => ("/rev", "{ body: /rev }"),
    };
    let leaves_out_empty = habits.leaves_out_empty;
    let updates = if whole { "whole" } else { "fields" };
    let told = if habits.no_digests { "" } else { "\n      bytes: /size\n      sha256: /digest" };
    format!(
        r#"# Saltmere: checks of the salt pans, and its habits.
profile: saltmere
title: Saltmere
about_it: Checks of the salt pans. JSON, a key, plain text.
speaks: json
leaves_out_empty: {leaves_out_empty}
asks:
  - {{ id: key, label: Key, secret: true }}
sign_in:
  key: {{ header: x-key, ask: key }}
about:
  path: /sm/about
  version: /edition
  clock: /clock
  calls_at_once: /berths
container_name: /called
containers:
  path: /sm/places
  items: /places
  id: /place
people:
  path: /sm/people
  items: /people
  id: /badge
  name: /called
schema:
  path: /sm/form
  kinds: /forms
  kind_id: /form
  fields: /lines
  id: /line
  name: /called
  type: /sort
  required: /must
  read_only: /fixed
  allowed: /among
  max_length: /longest
  max_bytes: /largest
  types:
    words: {{ is: text }}
    prose: {{ is: rich_text, format: plain }}
    one_of: {{ is: choice }}
    yes_no: {{ is: boolean, words: {{ yes: ja, no: nej }} }}
    moment: {{ is: instant }}
    from: {{ is: text, origin_mark: true }}
    files: {{ is: attachments }}
kinds:
  test_case:
    name: Check
    schema_id: check
    list:
      path: /sm/checks
      items: /checks
      id: /no
      paging: {{ offset: {{ from: skip, count: take, size: 10, total: /of }} }}
    one: /sm/checks/{{id}}
    create: /sm/checks
    find_by_origin: /sm/checks?from={{mark}}
    key: /no
    version: {version:?}
    title: title
    modified_at: /written
    links:
      items: /links
      link_type: /how
      kind: /sort
      id: /no
      url: /url
      types: {{ bears on: relates_to, touches: relates_to, doubles: duplicates }}
      written: [bears on]
    comments:
      items: /remarks
      at: /at
      by: /by
      text: /text
      format: plain
      add: /sm/checks/{{id}}/remarks
    concurrency: {concurrency}
    updates: {updates}
    files:
      schema_field: files
      items: /files
      name: /name
      media_type: /sort{told}
      path: /sm/checks/{{id}}/files/{{name}}
    page: /checks/{{id}}
errors:
  code: /wrong/code
  field: /wrong/line
  text: /wrong/why
  changed: [other_rev]
"#
    )
}
