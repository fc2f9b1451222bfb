-- Accounts are not asked for yet; the tables stand ready so that parts need not move later.
CREATE TABLE accounts (
    id uuid PRIMARY KEY,
    email text NOT NULL UNIQUE,
    name text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE projects (
    id uuid PRIMARY KEY,
    owner uuid REFERENCES accounts (id),
    name text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE parts (
    id uuid PRIMARY KEY,
    project uuid NOT NULL REFERENCES projects (id),
    name text NOT NULL,
    recipe jsonb NOT NULL,
    -- Moves on with every change, undo and redo included; a stale write is told apart by it.
    version bigint NOT NULL DEFAULT 1,
    -- The entry of the edit log that the recipe stands at.
    head bigint NOT NULL DEFAULT 0,
    created_at timestamptz NOT NULL DEFAULT now(),
    changed_at timestamptz NOT NULL DEFAULT now(),
    removed_at timestamptz
);
CREATE INDEX parts_by_project ON parts (project, created_at);

-- Append-only. Undo moves a part's head to the parent, redo to the newest child, so that nothing is ever lost.
CREATE TABLE edits (
    part uuid NOT NULL REFERENCES parts (id),
    seq bigint NOT NULL,
    parent bigint,
    label text NOT NULL,
    edit jsonb,
    recipe jsonb NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (part, seq)
);
CREATE INDEX edits_by_parent ON edits (part, parent);
