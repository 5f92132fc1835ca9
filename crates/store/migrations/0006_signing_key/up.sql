-- The key that signs proofs; there is one, and it stays: files that were handed on must still be told to be its.
create table signing_key (
    one boolean primary key default true check (one),
    -- Sealed: nonce and ciphertext. See seal.rs. The public key is told by it.
    secret bytea not null,
    made_at timestamptz not null default now()
);
