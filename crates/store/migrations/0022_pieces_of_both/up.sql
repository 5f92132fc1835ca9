-- Comments go both ways. Each is known by the end that it was written into, and by what tells it apart at the end that it
-- comes from.
alter table accepted_pieces rename column left_piece to piece;
alter table accepted_pieces rename column right_piece to became;
alter table accepted_pieces
    add column written_end text not null default 'right' check (written_end in ('left', 'right')),
    -- What stood there when it had arrived, as a fingerprint; none if nobody looked.
    add column became_said text,
    -- Whether a person lets it be that one end has it no more.
    add column let_be boolean not null default false;
alter table accepted_pieces alter column written_end drop default;
alter table accepted_pieces drop constraint accepted_pieces_pkey;
alter table accepted_pieces add primary key
    (left_system, left_kind, left_id, right_system, right_kind, right_id, slot, written_end, piece);
