-- How much the burner strayed in a boil, as a share of its rate, so far as the boil showed it.
ALTER TABLE standing ADD COLUMN strays REAL;

-- How far a woodlot's syrup boiled off the believed curve: at the draw, against what it read cold.
CREATE TABLE boil_shift (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    sugar_kind TEXT NOT NULL,
    learnt_at TEXT NOT NULL,
    shift_k REAL NOT NULL,
    sigma_k REAL NOT NULL,
    shared_k REAL NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX boil_shift_woodlot ON boil_shift (woodlot_id, sugar_kind, learnt_at);

-- What a batch showed of its filter: what stayed in it, how fast it ran new, what a layer passed.
CREATE TABLE filter_seen (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    method TEXT NOT NULL,
    filtered_at TEXT NOT NULL,
    loss_kg REAL,
    rate_l_min REAL,
    passes_l REAL
) STRICT, WITHOUT ROWID;
CREATE INDEX filter_seen_method ON filter_seen (method, filtered_at);

-- The colour of each batch that was graded, so that a season's strip reads no lines.
CREATE TABLE colour_seen (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    season INTEGER NOT NULL,
    graded_at TEXT NOT NULL,
    transmittance REAL NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX colour_seen_season ON colour_seen (season, graded_at);
