-- Tables of the record.
--
-- Everything entered during a visit is an entry: written once, never changed.
-- A correction is a newer entry that replaces the older one; undo strikes an entry
-- out and redo restores it, so the record always tells who entered what and when.
-- What an entry says stands in body, as records/bodies.py writes it; struck_at set means undone.
-- Moments are UTC, as '2026-01-02 03:04:05.000000'. A medium is kept bit for bit under its SHA-256 name;
-- sum and trail are as records/trail.py writes them: every row has its sum, every write its line.
-- digest is what the day list tells of a patient, summed up from all that stands; any write about the patient drops it.
-- places are the packed places of a track, read only when asked for.

CREATE TABLE info (
    "key" VARCHAR(40) NOT NULL,
    value VARCHAR NOT NULL,
    PRIMARY KEY ("key")
);

CREATE TABLE person (
    id INTEGER NOT NULL,
    uid VARCHAR(36) NOT NULL,
    name VARCHAR(120) NOT NULL,
    role VARCHAR(40) NOT NULL,
    created_at DATETIME NOT NULL,
    sum VARCHAR(32) DEFAULT '' NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (uid)
);

CREATE TABLE patient (
    id INTEGER NOT NULL,
    uid VARCHAR(36) NOT NULL,
    revision INTEGER NOT NULL,
    name VARCHAR(120) NOT NULL,
    birth_date DATE NOT NULL,
    sex VARCHAR(20) NOT NULL,
    body_mass_kg DOUBLE,
    stature_m DOUBLE,
    dominant_hand VARCHAR(10) NOT NULL,
    dominant_leg VARCHAR(10) NOT NULL,
    complaint VARCHAR NOT NULL,
    involved VARCHAR(10) NOT NULL,
    occupation VARCHAR NOT NULL,
    created_at DATETIME NOT NULL,
    created_by INTEGER NOT NULL,
    sum VARCHAR(32) DEFAULT '' NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (uid),
    FOREIGN KEY(created_by) REFERENCES person (id)
);

CREATE INDEX ix_patient_name ON patient (name);

CREATE TABLE medium (
    id INTEGER NOT NULL,
    uid VARCHAR(36) NOT NULL,
    sha256 VARCHAR(64) NOT NULL,
    suffix VARCHAR(12) NOT NULL,
    original_name VARCHAR NOT NULL,
    size INTEGER NOT NULL,
    added_at DATETIME NOT NULL,
    person_id INTEGER NOT NULL,
    sum VARCHAR(32) DEFAULT '' NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (uid),
    UNIQUE (sha256),
    FOREIGN KEY(person_id) REFERENCES person (id)
);

CREATE TABLE visit (
    id INTEGER NOT NULL,
    uid VARCHAR(36) NOT NULL,
    patient_id INTEGER NOT NULL,
    started_at DATETIME NOT NULL,
    person_id INTEGER NOT NULL,
    sum VARCHAR(32) DEFAULT '' NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (uid),
    FOREIGN KEY(patient_id) REFERENCES patient (id),
    FOREIGN KEY(person_id) REFERENCES person (id)
);

CREATE INDEX ix_visit_patient_id ON visit (patient_id);

CREATE TABLE entry (
    id INTEGER NOT NULL,
    uid VARCHAR(36) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    visit_id INTEGER NOT NULL,
    at DATETIME NOT NULL,
    person_id INTEGER NOT NULL,
    medium_id INTEGER,
    replaces VARCHAR(36) NOT NULL,
    struck_at DATETIME,
    body JSON NOT NULL,
    sum VARCHAR(32) DEFAULT '' NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (uid),
    FOREIGN KEY(visit_id) REFERENCES visit (id),
    FOREIGN KEY(person_id) REFERENCES person (id),
    FOREIGN KEY(medium_id) REFERENCES medium (id)
);

CREATE INDEX ix_entry_visit_id ON entry (visit_id);

CREATE INDEX ix_entry_kind ON entry (kind);

CREATE TABLE places (
    entry_id INTEGER NOT NULL,
    data BLOB NOT NULL,
    PRIMARY KEY (entry_id),
    FOREIGN KEY(entry_id) REFERENCES entry (id)
);

CREATE TABLE trail (
    id INTEGER NOT NULL,
    at DATETIME NOT NULL,
    who VARCHAR(36) NOT NULL,
    what VARCHAR(20) NOT NULL,
    subject VARCHAR(80) NOT NULL,
    detail VARCHAR NOT NULL,
    chain VARCHAR(64) NOT NULL,
    PRIMARY KEY (id)
);

CREATE INDEX ix_trail_subject ON trail (subject);

CREATE TABLE digest (
    patient_id INTEGER NOT NULL,
    stamp VARCHAR(16) NOT NULL,
    asked VARCHAR(16) NOT NULL,
    visits INTEGER NOT NULL,
    last DATETIME,
    measured INTEGER NOT NULL,
    found INTEGER NOT NULL,
    rungs INTEGER NOT NULL,
    since DATETIME,
    logged DATE,
    alarm DATE,
    factors INTEGER NOT NULL,
    ended DATETIME,
    PRIMARY KEY (patient_id),
    FOREIGN KEY(patient_id) REFERENCES patient (id)
);

CREATE TRIGGER visit_insert AFTER INSERT ON visit BEGIN
    DELETE FROM digest WHERE patient_id = new.patient_id;
END;

CREATE TRIGGER visit_update AFTER UPDATE ON visit BEGIN
    DELETE FROM digest WHERE patient_id = new.patient_id;
END;

CREATE TRIGGER visit_delete AFTER DELETE ON visit BEGIN
    DELETE FROM digest WHERE patient_id = old.patient_id;
END;

CREATE TRIGGER entry_insert AFTER INSERT ON entry BEGIN
    DELETE FROM digest WHERE patient_id = (SELECT patient_id FROM visit WHERE id = new.visit_id);
END;

CREATE TRIGGER entry_update AFTER UPDATE ON entry BEGIN
    DELETE FROM digest WHERE patient_id = (SELECT patient_id FROM visit WHERE id = new.visit_id);
END;

CREATE TRIGGER entry_delete AFTER DELETE ON entry BEGIN
    DELETE FROM digest WHERE patient_id = (SELECT patient_id FROM visit WHERE id = old.visit_id);
END;

CREATE TABLE alembic_version (version_num varchar(32) not null primary key);
