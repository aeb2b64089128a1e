BEGIN TRANSACTION;
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0009');
CREATE TABLE capture_settings (
	id INTEGER NOT NULL, 
	changed_at TEXT NOT NULL, 
	document JSON NOT NULL, 
	PRIMARY KEY (id)
);
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
INSERT INTO "carriers" VALUES(1,'K-001','Lantern parade','vhs','525i',NULL,'null','','2026-11-28T13:41:30+00:00','{"schema_version": 1, "shape": "", "sound": "", "marked_minutes": null, "cassette": "", "speed": "", "condition": {"looked": false, "ticked": []}, "rights": false, "wanted": [], "tags": []}');
CREATE TABLE copies (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	path TEXT NOT NULL, 
	state TEXT NOT NULL, 
	recipe JSON NOT NULL, 
	predicted JSON, 
	result JSON, 
	trouble TEXT NOT NULL, 
	asked_at TEXT NOT NULL, 
	ended_at TEXT, treatment JSON DEFAULT '{"schema_version":1,"steps":[]}' NOT NULL, digest TEXT DEFAULT '' NOT NULL, outlet JSON, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
INSERT INTO "copies" VALUES(1,1,'copies/k-001-lantern-parade-h264-20.mp4','waiting','{"codec": "h264", "rate": {"kind": "quality", "quality": 20}, "speed": "faster", "container": "mp4", "key_seconds": 5.0, "sound_codec": "aac", "sound_kbps": 160, "sound_channels": null, "quality": 20}','null','null','','2026-11-28T13:41:30+00:00',NULL,'{"schema_version": 1, "steps": [{"step": "fields", "mode": "single", "order": "bff"}], "sound": [], "tracks": {"without_sound": [], "without_subtitles": [], "chapters": true, "captions": true}, "joined": []}','67edff9c95aacadd493e4824',NULL);
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
INSERT INTO "events" VALUES(1,'2026-11-28T13:41:30+00:00',1,'K-001 added');
INSERT INTO "events" VALUES(2,'2026-11-28T13:41:30+00:00',1,'captured 0:00:03, nothing lost');
INSERT INTO "events" VALUES(3,'2026-11-28T13:41:30+00:00',1,'treatment chosen: fields');
CREATE TABLE house_cases (
	id INTEGER NOT NULL, 
	carrier_id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	"key" TEXT NOT NULL, 
	rules JSON NOT NULL, 
	state TEXT NOT NULL, 
	differences JSON NOT NULL, 
	at TEXT NOT NULL, 
	answered_at TEXT, 
	PRIMARY KEY (id), 
	FOREIGN KEY(carrier_id) REFERENCES carriers (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
INSERT INTO "house_cases" VALUES(1,1,1,'vhs-family','{}','waiting','[]','2026-11-29T10:00:00+00:00',NULL);
CREATE TABLE jobs (
	id INTEGER NOT NULL, 
	copy_id INTEGER NOT NULL, 
	kind TEXT NOT NULL, 
	task JSON NOT NULL, 
	state TEXT NOT NULL, 
	rank DOUBLE NOT NULL, 
	after_id INTEGER, 
	attempts INTEGER NOT NULL, 
	held BOOLEAN NOT NULL, 
	stopping BOOLEAN NOT NULL, 
	worker TEXT NOT NULL, 
	log JSON NOT NULL, 
	peak_bytes INTEGER, 
	began_at TEXT, 
	ended_at TEXT, 
	PRIMARY KEY (id), 
	FOREIGN KEY(copy_id) REFERENCES copies (id), 
	FOREIGN KEY(after_id) REFERENCES jobs (id)
);
INSERT INTO "jobs" VALUES(1,1,'encode','{"schema_version": 1, "kind": "encode", "source": "takes/k-001-lantern-parade-take01.mkv", "target": "copies/k-001-lantern-parade-h264-20.mp4", "treatment": "67edff9c95aacadd493e4824", "recipe": ""}','waiting',1.0,NULL,0,0,0,'','[]',NULL,NULL,NULL);
INSERT INTO "jobs" VALUES(2,1,'verify','{"schema_version": 1, "kind": "verify", "source": "takes/k-001-lantern-parade-take01.mkv", "target": "copies/k-001-lantern-parade-h264-20.mp4", "treatment": "67edff9c95aacadd493e4824", "recipe": ""}','waiting',1.0,1,0,0,0,'','[]',NULL,NULL,NULL);
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
CREATE TABLE run_rules (
	id INTEGER NOT NULL, 
	changed_at TEXT NOT NULL, 
	document JSON NOT NULL, 
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
	note TEXT NOT NULL, details JSON, 
	PRIMARY KEY (id), 
	FOREIGN KEY(carrier_id) REFERENCES carriers (id)
);
INSERT INTO "takes" VALUES(1,1,'takes/k-001-lantern-parade-take01.mkv','captured','whole','2026-11-28T13:41:30+00:00',3.0,90,0,0,123,'','{"record_as": {"codec": "ffv1", "sound": "pcm", "crf": null, "mbps": null, "speed": null, "part_minutes": null, "timecode": "00:00:00:00", "sound_later_ms": 0.0, "threads": 2}, "parts": [], "gaps": [], "repeated": 0, "ended": "", "tail_seconds": 0.0, "marks": [], "names": [], "codec_bits": {}, "reading_ended": false}');
CREATE TABLE treatments (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	chosen_at TEXT NOT NULL, treatment JSON DEFAULT '{"schema_version":1,"steps":[]}' NOT NULL, digest TEXT DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
INSERT INTO "treatments" VALUES(1,1,'2026-11-28T13:41:30+00:00','{"schema_version": 1, "steps": [{"step": "fields", "mode": "single", "order": "bff"}], "sound": [], "tracks": {"without_sound": [], "without_subtitles": [], "chapters": true, "captions": true}, "joined": []}','67edff9c95aacadd493e4824');
CREATE TABLE trial_sets (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	made_at TEXT NOT NULL, 
	folder TEXT NOT NULL, 
	document JSON NOT NULL, digest TEXT DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
CREATE INDEX ix_jobs_copy_id ON jobs (copy_id);
CREATE INDEX ix_jobs_state ON jobs (state);
CREATE INDEX ix_house_cases_carrier_id ON house_cases (carrier_id);
CREATE INDEX ix_house_cases_state ON house_cases (state);
CREATE INDEX ix_takes_carrier_id ON takes (carrier_id);
CREATE INDEX ix_readings_take_id ON readings (take_id);
CREATE INDEX ix_overrulings_take_id ON overrulings (take_id);
CREATE INDEX ix_treatments_take_id ON treatments (take_id);
CREATE INDEX ix_trial_sets_take_id ON trial_sets (take_id);
CREATE INDEX ix_copies_take_id ON copies (take_id);
CREATE INDEX ix_copies_state ON copies (state);
CREATE INDEX ix_copies_path ON copies (path);
CREATE INDEX ix_jobs_rank ON jobs (rank);
CREATE INDEX ix_path_sheets_carrier_id ON path_sheets (carrier_id);
CREATE INDEX ix_events_carrier_id ON events (carrier_id);
CREATE INDEX ix_house_cases_take_id ON house_cases (take_id);
COMMIT;
