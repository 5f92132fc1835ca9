//! The tables, for Diesel; kept by hand beside `migrations/`, and checked by the tests that use them.

diesel::table! {
    people (id) { id -> Uuid, login -> Text, name -> Text, password_hash -> Text, created_at -> Timestamptz }
}
diesel::table! {
    sessions (token_hash) { token_hash -> Bytea, person_id -> Uuid, csrf -> Text, expires_at -> Timestamptz }
}
diesel::table! {
    systems (id) {
        id -> Uuid, name -> Text, profile -> Text, address -> Text, credentials -> Bytea, version -> Int4,
        check_steps -> Nullable<Jsonb>, checked_at -> Nullable<Timestamptz>, created_at -> Timestamptz,
    }
}
diesel::table! {
    surveys (system_id, container) {
        system_id -> Uuid, container -> Text, container_name -> Text, catalogue -> Jsonb, survey -> Jsonb, at -> Timestamptz,
        catalogue_at -> Timestamptz,
    }
}
diesel::table! {
    artefacts (system_id, container, kind, external_id) {
        system_id -> Uuid, container -> Text, kind -> Text, external_id -> Text, seq -> Int4, key -> Text,
        title -> Text, path -> Text, body -> Jsonb, words -> Text,
        named -> Text,
    }
}
diesel::table! {
    routes (id) {
        id -> Uuid, name -> Text, left_system -> Uuid, left_container -> Text, right_system -> Uuid,
        right_container -> Text, lanes -> Jsonb, version -> Int4, created_at -> Timestamptz, updated_at -> Timestamptz,
        follows -> Array<Nullable<Uuid>>,
    }
}
diesel::table! {
    route_versions (route_id, version) {
        route_id -> Uuid, version -> Int4, lanes -> Jsonb, saved_by -> Nullable<Uuid>, saved_at -> Timestamptz,
        note -> Text,
    }
}
diesel::table! {
    decision_steps (plan_id, step) { plan_id -> Uuid, step -> Int4, made_at -> Timestamptz }
}
diesel::table! {
    plans (id) {
        id -> Uuid, route_id -> Uuid, route_version -> Int4, lanes -> Jsonb, summary -> Jsonb, digest -> Bytea,
        made_at -> Timestamptz, fields -> Array<Text>,
    }
}
diesel::table! {
    plan_counts (plan_id, outcome, kind, included) {
        plan_id -> Uuid, outcome -> Text, kind -> Text, included -> Bool, count -> Int8, with_losses -> Int8,
        conflicts -> Int8, refused -> Int8, in_conflict -> Int8, open -> Int8,
        right_calls -> Double, left_calls -> Double, links_back -> Int8,
    }
}
diesel::table! {
    changes (plan_id, seq) {
        plan_id -> Uuid, seq -> Int4, lane -> Text, kind -> Text, outcome -> Text, left_id -> Nullable<Text>,
        left_key -> Text, right_key -> Text, title -> Text, field_names -> Array<Text>, losses -> Int4,
        conflicts -> Int4, open -> Int4, brief -> Jsonb, body -> Jsonb, decision -> Jsonb, included -> Bool, refusals -> Jsonb,
        right_calls -> Double, left_calls -> Double, links_back -> Bool, named -> Text, decided_by -> Nullable<Uuid>,
        right_id -> Nullable<Text>,
    }
}
diesel::table! {
    jobs (id) {
        id -> Uuid, kind -> Text, route_id -> Nullable<Uuid>, system_id -> Nullable<Uuid>, container -> Nullable<Text>,
        plan_id -> Nullable<Uuid>, state -> Text, wanted -> Text, progress -> Jsonb, result -> Nullable<Jsonb>,
        error -> Nullable<Text>, lease_owner -> Nullable<Uuid>, lease_until -> Nullable<Timestamptz>,
        created_at -> Timestamptz, started_at -> Nullable<Timestamptz>, finished_at -> Nullable<Timestamptz>,
        options -> Jsonb, takeovers -> Int4, taken_at -> Nullable<Timestamptz>, writes -> Array<Text>,
    }
}
diesel::table! {
    job_events (job_id, seq) { job_id -> Uuid, seq -> Int8, at -> Timestamptz, body -> Jsonb }
}
diesel::table! {
    journal (job_id, seq) {
        job_id -> Uuid, seq -> Int4, state -> Text, attempts -> Int4, error -> Nullable<Text>,
        advice -> Nullable<Text>, at -> Timestamptz,
    }
}
diesel::table! {
    journal_items (job_id, seq, written_end) {
        job_id -> Uuid, seq -> Int4, written_end -> Text, item_id -> Text, version -> Nullable<Text>,
    }
}
diesel::table! {
    forms (name) { name -> Text, form -> Int2 }
}
diesel::table! {
    snapshots (hash) { hash -> Bytea, body -> Jsonb }
}
diesel::table! {
    pairs (id) {
        id -> Uuid, route_id -> Uuid, lane -> Text, left_id -> Text, right_id -> Text, left_base -> Bytea, right_base -> Bytea,
        updated_at -> Timestamptz, left_key -> Text, right_key -> Text, agreed -> Nullable<Bytea>, let_go -> Bool,
        left_version -> Nullable<Text>, right_version -> Nullable<Text>,
    }
}
diesel::table! {
    conflicts (id) {
        id -> Uuid, pair_id -> Uuid, route_id -> Uuid, lane -> Text, rule -> Text, slot -> Text, kind -> Text, reason -> Text,
        title -> Text, left_key -> Text, right_key -> Text, generation -> Int4, revision -> Int4, state -> Text, ended -> Nullable<Text>,
        refused -> Nullable<Text>, opened_at -> Timestamptz, changed_at -> Timestamptz, ended_at -> Nullable<Timestamptz>,
        last_plan -> Nullable<Uuid>, seq -> Int4, left_by -> Nullable<Text>, right_by -> Nullable<Text>,
    }
}
diesel::table! {
    conflict_generations (conflict_id, generation) {
        conflict_id -> Uuid, generation -> Int4, digest -> Bytea, reason -> Text, body -> Jsonb, left_base -> Bytea,
        right_base -> Bytea, at -> Timestamptz, choice -> Nullable<Jsonb>, settled_by -> Nullable<Uuid>,
        settled_at -> Nullable<Timestamptz>,
    }
}
diesel::table! {
    record (id) {
        id -> Int8, at -> Timestamptz, route_id -> Uuid, job_id -> Nullable<Uuid>, seq -> Nullable<Int4>, by -> Nullable<Text>,
        lane -> Text, left_id -> Text, right_id -> Text, left_key -> Text, right_key -> Text, kind -> Text,
        written_end -> Nullable<Text>, slot -> Nullable<Text>, what -> Text, why -> Text, before -> Nullable<Bytea>,
        after -> Nullable<Bytea>,
    }
}
diesel::table! {
    losses (route_id, lane, left_id, field, n) {
        route_id -> Uuid, lane -> Text, left_id -> Text, field -> Text, n -> Int4, left_key -> Text, right_key -> Text,
        foreseen -> Bool, body -> Jsonb, job_id -> Nullable<Uuid>, at -> Timestamptz,
    }
}
diesel::table! {
    steps (job_id, seq, written_end, step) {
        job_id -> Uuid, seq -> Int4, written_end -> Text, step -> Text, state -> Text, sent -> Nullable<Jsonb>,
        held -> Nullable<Jsonb>, at -> Timestamptz,
    }
}
diesel::table! {
    marks (system_id, container, kind, mark) {
        system_id -> Uuid, container -> Text, kind -> Text, mark -> Text, job_id -> Uuid, seq -> Int4,
        item_id -> Nullable<Text>, at -> Timestamptz,
    }
}
diesel::table! {
    accepted_pieces (left_system, left_kind, left_id, right_system, right_kind, right_id, slot, written_end, piece) {
        left_system -> Uuid, left_kind -> Text, left_id -> Text, right_system -> Uuid, right_kind -> Text,
        right_id -> Text, slot -> Text, written_end -> Text, piece -> Text, became -> Nullable<Text>, said -> Text,
        became_said -> Nullable<Text>, let_be -> Bool, state -> Text, before -> Nullable<Jsonb>, at -> Timestamptz,
    }
}
diesel::table! {
    proofs (id) {
        id -> Uuid, route_id -> Uuid, body -> Jsonb, differences -> Int4, at -> Timestamptz, waits -> Int4,
        unexplained -> Int4,
    }
}
diesel::table! {
    signing_key (one) { one -> Bool, secret -> Bytea, made_at -> Timestamptz }
}
diesel::table! {
    dependencies (plan_id, seq, needs) { plan_id -> Uuid, seq -> Int4, needs -> Int4 }
}
diesel::table! {
    kept_histories (route_id, lane, item_end, item_id) {
        route_id -> Uuid, lane -> Text, item_end -> Text, item_id -> Text, item_key -> Text, system_name -> Text,
        entries -> Jsonb, kept_at -> Timestamptz,
    }
}
diesel::table! {
    keys (id) {
        id -> Uuid, name -> Text, hash -> Bytea, may -> Array<Nullable<Text>>, route_ids -> Nullable<Array<Nullable<Uuid>>>,
        made_by -> Uuid, made_at -> Timestamptz, expires_at -> Nullable<Timestamptz>,
        used_at -> Nullable<Timestamptz>, revoked_at -> Nullable<Timestamptz>,
    }
}
diesel::table! {
    settled_matches (route_id, lane, item_end, item_id) {
        route_id -> Uuid, lane -> Text, item_end -> Text, item_id -> Text, other_id -> Nullable<Text>,
        settled_by -> Nullable<Uuid>, settled_at -> Timestamptz,
    }
}
diesel::joinable!(pairs -> routes (route_id));
diesel::joinable!(keys -> people (made_by));
diesel::joinable!(settled_matches -> people (settled_by));
diesel::allow_tables_to_appear_in_same_query!(people, settled_matches);
diesel::allow_tables_to_appear_in_same_query!(people, keys);
diesel::joinable!(route_versions -> people (saved_by));
diesel::allow_tables_to_appear_in_same_query!(people, route_versions);
diesel::allow_tables_to_appear_in_same_query!(changes, jobs, journal);
diesel::allow_tables_to_appear_in_same_query!(changes, dependencies);
diesel::allow_tables_to_appear_in_same_query!(jobs, marks);
diesel::allow_tables_to_appear_in_same_query!(pairs, routes);
diesel::joinable!(conflict_generations -> conflicts (conflict_id));
diesel::joinable!(conflict_generations -> people (settled_by));
diesel::joinable!(conflicts -> pairs (pair_id));
diesel::allow_tables_to_appear_in_same_query!(conflicts, conflict_generations, people);
diesel::allow_tables_to_appear_in_same_query!(conflicts, pairs);
diesel::allow_tables_to_appear_in_same_query!(conflict_generations, pairs);
