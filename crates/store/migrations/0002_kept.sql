-- Two first requests at once could make one project twice; the parts of both go to the older one.
UPDATE parts SET project = first.id
FROM projects own
JOIN LATERAL (
    SELECT id FROM projects other
    WHERE other.name = own.name AND other.owner IS NOT DISTINCT FROM own.owner
    ORDER BY created_at, id LIMIT 1
) first ON true
WHERE parts.project = own.id AND first.id <> own.id;
DELETE FROM projects own WHERE EXISTS (
    SELECT 1 FROM projects other
    WHERE other.name = own.name AND other.owner IS NOT DISTINCT FROM own.owner
      AND (other.created_at, other.id) < (own.created_at, own.id)
);
CREATE UNIQUE INDEX projects_by_name ON projects (name, owner) NULLS NOT DISTINCT;

-- Requests that were carried out under a key of the asker's, so that one that is sent again is not carried out again.
CREATE TABLE requests (
    key text PRIMARY KEY,
    -- Of what was asked, so that a key is not taken for two different requests.
    fingerprint bytea NOT NULL,
    part uuid NOT NULL REFERENCES parts (id),
    added text,
    made_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX requests_by_age ON requests (made_at);

-- What the rack shows of a part, kept while neither the part nor the program that made it has changed. A cache: rows may
-- go at any time.
CREATE TABLE summaries (
    part uuid PRIMARY KEY REFERENCES parts (id),
    version bigint NOT NULL,
    program text NOT NULL,
    state text NOT NULL,
    headline text NOT NULL,
    figures text NOT NULL,
    picture bytea NOT NULL
);

CREATE INDEX parts_on_the_rack ON parts (created_at, id) WHERE removed_at IS NULL;
