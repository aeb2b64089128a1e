BEGIN TRANSACTION;
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0003');
CREATE TABLE carriers (
	id INTEGER NOT NULL, 
	label TEXT NOT NULL, 
	title TEXT NOT NULL, 
	kind TEXT NOT NULL, 
	standard TEXT, 
	nominal_seconds DOUBLE, 
	source JSON, 
	note TEXT NOT NULL, 
	created_at TEXT NOT NULL, details JSON, 
	PRIMARY KEY (id), 
	UNIQUE (label)
);
INSERT INTO "carriers" VALUES(1,'K-001','Lantern parade','vhs','525i',7080.0,'{"kind": "tape player", "seed": 1}','','2026-11-25T12:07:46+00:00','{"schema_version": 1, "shape": "", "sound": "mono", "marked_minutes": null, "speed": "", "condition": {"looked": true, "ticked": []}, "rights": false, "wanted": [], "tags": []}');
CREATE TABLE copies (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	path TEXT NOT NULL, 
	state TEXT NOT NULL, 
	recipe JSON NOT NULL, 
	deinterlace TEXT NOT NULL, 
	field_order TEXT, 
	predicted JSON, 
	result JSON, 
	trouble TEXT NOT NULL, 
	asked_at TEXT NOT NULL, 
	ended_at TEXT, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
CREATE TABLE equipment (
	id INTEGER NOT NULL, 
	changed_at TEXT NOT NULL, 
	document JSON NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE events (
	id INTEGER NOT NULL, 
	at TEXT NOT NULL, 
	carrier_id INTEGER, 
	words TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(carrier_id) REFERENCES carriers (id)
);
INSERT INTO "events" VALUES(1,'2026-11-25T12:07:46+00:00',1,'K-001 taken in');
INSERT INTO "events" VALUES(2,'2026-11-25T12:07:46+00:00',1,'captured 0:00:03, 2 frames lost');
CREATE TABLE machine_trials (
	id INTEGER NOT NULL, 
	made_at TEXT NOT NULL, 
	document JSON NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE overrulings (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	topic TEXT NOT NULL, 
	was TEXT NOT NULL, 
	now TEXT NOT NULL, 
	reason TEXT NOT NULL, 
	made_at TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
CREATE TABLE path_sheets (
	id INTEGER NOT NULL, 
	carrier_id INTEGER NOT NULL, 
	take_id INTEGER, 
	changed_at TEXT NOT NULL, 
	document JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(carrier_id) REFERENCES carriers (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
CREATE TABLE readings (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	made_at TEXT NOT NULL, 
	document JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
CREATE TABLE reckonings (
	id INTEGER NOT NULL, 
	at TEXT NOT NULL, 
	sheet TEXT NOT NULL, 
	typed JSON NOT NULL, 
	words TEXT NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE takes (
	id INTEGER NOT NULL, 
	carrier_id INTEGER NOT NULL, 
	path TEXT NOT NULL, 
	origin TEXT NOT NULL, 
	state TEXT NOT NULL, 
	started_at TEXT NOT NULL, 
	seconds DOUBLE, 
	frames INTEGER, 
	late INTEGER, 
	dropped INTEGER, 
	size_bytes INTEGER, 
	note TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(carrier_id) REFERENCES carriers (id)
);
INSERT INTO "takes" VALUES(1,1,'takes/k-001-lantern-parade-take01.mkv','captured','whole','2026-11-25T12:07:46+00:00',3.0,90,0,2,10,'');
CREATE TABLE treatments (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	deinterlace TEXT NOT NULL, 
	field_order TEXT, 
	chosen_at TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
CREATE TABLE trial_sets (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	made_at TEXT NOT NULL, 
	folder TEXT NOT NULL, 
	document JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
COMMIT;
