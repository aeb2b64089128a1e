BEGIN TRANSACTION;
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0004');
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
INSERT INTO "carriers" VALUES(1,'K-001','Lantern parade','vhs','525i',7080.0,'null','','2026-11-27T20:39:14+00:00','{"schema_version": 1, "shape": "", "sound": "", "marked_minutes": null, "cassette": "", "speed": "", "condition": {"looked": false, "ticked": []}, "rights": false, "wanted": [], "tags": []}');
INSERT INTO "carriers" VALUES(2,'K-002','Lantern parade','vhs','525i',7080.0,'null','','2026-11-27T20:39:14+00:00','{"schema_version": 1, "shape": "", "sound": "", "marked_minutes": null, "cassette": "", "speed": "", "condition": {"looked": false, "ticked": []}, "rights": false, "wanted": [], "tags": []}');
INSERT INTO "carriers" VALUES(3,'K-003','Lantern parade','vhs','525i',7080.0,'null','','2026-11-27T20:39:14+00:00','{"schema_version": 1, "shape": "", "sound": "", "marked_minutes": null, "cassette": "", "speed": "", "condition": {"looked": false, "ticked": []}, "rights": false, "wanted": [], "tags": []}');
INSERT INTO "carriers" VALUES(4,'K-004','Lantern parade','vhs','525i',7080.0,'null','','2026-11-27T20:39:14+00:00','{"schema_version": 1, "shape": "", "sound": "", "marked_minutes": null, "cassette": "", "speed": "", "condition": {"looked": false, "ticked": []}, "rights": false, "wanted": [], "tags": []}');
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
INSERT INTO "copies" VALUES(1,1,'copies/K-001.mp4','waiting','{"codec": "h264", "quality": 20, "speed": "faster", "container": "mp4", "sound_codec": "aac", "sound_kbps": 160}','double','bff','null','null','','2026-11-27T20:39:14+00:00',NULL);
INSERT INTO "copies" VALUES(2,3,'copies/K-003.mp4','waiting','{"codec": "h264", "quality": 20, "speed": "faster", "container": "mp4", "sound_codec": "aac", "sound_kbps": 160}','leave','tff','null','null','','2026-11-27T20:39:14+00:00',NULL);
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
INSERT INTO "events" VALUES(1,'2026-11-27T20:39:14+00:00',1,'K-001 added');
INSERT INTO "events" VALUES(2,'2026-11-27T20:39:14+00:00',1,'captured 0:00:03, 2 frames lost');
INSERT INTO "events" VALUES(3,'2026-11-27T20:39:14+00:00',1,'treatment chosen: double');
INSERT INTO "events" VALUES(4,'2026-11-27T20:39:14+00:00',1,'0 recipes tried in 4 s');
INSERT INTO "events" VALUES(5,'2026-11-27T20:39:14+00:00',2,'K-002 added');
INSERT INTO "events" VALUES(6,'2026-11-27T20:39:14+00:00',2,'captured 0:00:03, 2 frames lost');
INSERT INTO "events" VALUES(7,'2026-11-27T20:39:14+00:00',2,'treatment chosen: leave');
INSERT INTO "events" VALUES(8,'2026-11-27T20:39:14+00:00',2,'0 recipes tried in 4 s');
INSERT INTO "events" VALUES(9,'2026-11-27T20:39:14+00:00',3,'K-003 added');
INSERT INTO "events" VALUES(10,'2026-11-27T20:39:14+00:00',3,'captured 0:00:03, 2 frames lost');
INSERT INTO "events" VALUES(11,'2026-11-27T20:39:14+00:00',3,'treatment chosen: leave');
INSERT INTO "events" VALUES(12,'2026-11-27T20:39:14+00:00',4,'K-004 added');
INSERT INTO "events" VALUES(13,'2026-11-27T20:39:14+00:00',4,'captured 0:00:03, 2 frames lost');
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
	note TEXT NOT NULL, details JSON, 
	PRIMARY KEY (id), 
	FOREIGN KEY(carrier_id) REFERENCES carriers (id)
);
INSERT INTO "takes" VALUES(1,1,'takes/k-001-lantern-parade-take01.mkv','captured','whole','2026-11-27T20:39:14+00:00',3.0,90,0,2,99,'','{"record_as": {"codec": "ffv1", "sound": "pcm", "crf": null, "mbps": null, "speed": null, "part_minutes": null, "timecode": "00:00:00:00", "sound_later_ms": 0.0, "threads": 2}, "parts": [], "gaps": [], "repeated": 0, "ended": "", "tail_seconds": 0.0, "marks": [], "names": [], "codec_bits": {}, "reading_ended": false}');
INSERT INTO "takes" VALUES(2,2,'takes/k-002-lantern-parade-take01.mkv','captured','whole','2026-11-27T20:39:14+00:00',3.0,90,0,2,99,'','{"record_as": {"codec": "ffv1", "sound": "pcm", "crf": null, "mbps": null, "speed": null, "part_minutes": null, "timecode": "00:00:00:00", "sound_later_ms": 0.0, "threads": 2}, "parts": [], "gaps": [], "repeated": 0, "ended": "", "tail_seconds": 0.0, "marks": [], "names": [], "codec_bits": {}, "reading_ended": false}');
INSERT INTO "takes" VALUES(3,3,'takes/k-003-lantern-parade-take01.mkv','captured','whole','2026-11-27T20:39:14+00:00',3.0,90,0,2,99,'','{"record_as": {"codec": "ffv1", "sound": "pcm", "crf": null, "mbps": null, "speed": null, "part_minutes": null, "timecode": "00:00:00:00", "sound_later_ms": 0.0, "threads": 2}, "parts": [], "gaps": [], "repeated": 0, "ended": "", "tail_seconds": 0.0, "marks": [], "names": [], "codec_bits": {}, "reading_ended": false}');
INSERT INTO "takes" VALUES(4,4,'takes/k-004-lantern-parade-take01.mkv','captured','whole','2026-11-27T20:39:14+00:00',3.0,90,0,2,99,'','{"record_as": {"codec": "ffv1", "sound": "pcm", "crf": null, "mbps": null, "speed": null, "part_minutes": null, "timecode": "00:00:00:00", "sound_later_ms": 0.0, "threads": 2}, "parts": [], "gaps": [], "repeated": 0, "ended": "", "tail_seconds": 0.0, "marks": [], "names": [], "codec_bits": {}, "reading_ended": false}');
CREATE TABLE treatments (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	deinterlace TEXT NOT NULL, 
	field_order TEXT, 
	chosen_at TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
INSERT INTO "treatments" VALUES(1,1,'double','bff','2026-11-27T20:39:14+00:00');
INSERT INTO "treatments" VALUES(2,2,'leave',NULL,'2026-11-27T20:39:14+00:00');
INSERT INTO "treatments" VALUES(3,3,'leave','tff','2026-11-27T20:39:14+00:00');
CREATE TABLE trial_sets (
	id INTEGER NOT NULL, 
	take_id INTEGER NOT NULL, 
	made_at TEXT NOT NULL, 
	folder TEXT NOT NULL, 
	document JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(take_id) REFERENCES takes (id)
);
INSERT INTO "trial_sets" VALUES(1,1,'2026-11-27T20:39:14+00:00','trials/take-1-6684a2fe','{"schema_version": 1, "deinterlace": "double", "field_order": "bff", "rate": "60000/1001", "frames": 180, "duration_seconds": 3.0, "sound_bytes": 0, "segments": [{"first_frame": 0, "frames": 90, "role": "whole"}], "sized_on": 0, "whole": true, "points": [], "source_crop": null, "trial_seconds": 4.0, "complete": true, "disturbed": 0.0}');
INSERT INTO "trial_sets" VALUES(2,2,'2026-11-27T20:39:14+00:00','trials/take-2-a1dd4a2e','{"schema_version": 1, "deinterlace": "leave", "field_order": null, "rate": "60000/1001", "frames": 180, "duration_seconds": 3.0, "sound_bytes": 0, "segments": [{"first_frame": 0, "frames": 90, "role": "whole"}], "sized_on": 0, "whole": true, "points": [], "source_crop": null, "trial_seconds": 4.0, "complete": true, "disturbed": 0.0}');
COMMIT;
