PRAGMA application_id=1346981443;
PRAGMA user_version=1;
BEGIN TRANSACTION;
CREATE TABLE chunk (
        id INTEGER PRIMARY KEY, stream_id INTEGER NOT NULL REFERENCES stream ON DELETE CASCADE,
        samples INTEGER NOT NULL, data BLOB NOT NULL);
INSERT INTO "chunk" VALUES(1,1,5,X'78DA6364656060606280004610803045114C631013000465005E');
CREATE TABLE device (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "device" VALUES(1,'{"name": "Gannet", "form": "handheld", "chip": "Fell F12", "status": "pre-production", "temp_limit_c": 92.0, "rig": null, "local": false, "notes": "Noisy at 30 W."}');
CREATE TABLE mark (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE,
        t_s REAL NOT NULL, text TEXT NOT NULL);
CREATE TABLE run (
        id INTEGER PRIMARY KEY,
        device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE,
        setting_id INTEGER NOT NULL REFERENCES setting ON DELETE CASCADE,
        workload_id INTEGER NOT NULL REFERENCES workload ON DELETE CASCADE,
        started TEXT NOT NULL, repeat INTEGER NOT NULL, removed INTEGER NOT NULL DEFAULT 0, record TEXT NOT NULL);
INSERT INTO "run" VALUES(1,1,1,1,'2026-09-01T08:00:00Z',1,0,'{"device_id": 1, "setting_id": 1, "workload_id": 1, "repeat": 1, "started": "2026-09-01T08:00:00Z", "ambient_c": 22.0, "source": "rig", "notes": "", "status": "complete", "reason": "", "samples": 10, "void": "", "removed": false}');
CREATE TABLE setting (
        id INTEGER PRIMARY KEY, device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE, record TEXT NOT NULL);
INSERT INTO "setting" VALUES(1,1,'{"device_id": 1, "name": "20 W", "sustained_w": 20.0, "burst_w": 30.0, "window_s": 5.0, "clock_ceiling_mhz": 3100.0, "mains": false, "notes": ""}');
CREATE TABLE stream (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE, channels TEXT NOT NULL);
INSERT INTO "stream" VALUES(1,1,'["cpu.power", "cpu.temp"]');
CREATE TABLE workload (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "workload" VALUES(1,'{"name": "Skerry Run", "rate_channel": "frame.rate", "score_unit": "fps", "frame_cap_fps": 40.0, "one_core": false}');
CREATE INDEX setting_device ON setting (device_id);
CREATE INDEX run_cell ON run (device_id, setting_id, workload_id);
CREATE INDEX stream_run ON stream (run_id);
CREATE INDEX chunk_stream ON chunk (stream_id);
CREATE INDEX mark_run ON mark (run_id);
COMMIT;
