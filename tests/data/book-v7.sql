PRAGMA application_id = 1346981443;
PRAGMA user_version = 7;
BEGIN TRANSACTION;
CREATE TABLE acceptance (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "acceptance" VALUES(1,'{"first_setting": 1, "second_setting": 1, "key": "room", "first_value": "22 °C", "second_value": "31 °C", "reason": "meant", "day": "2026-09-15"}');
CREATE TABLE card (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "card" VALUES(1,'{"name": "Units", "kind": "table", "query": {"of": "units", "device_ids": [1]}, "place": 0, "finding": "", "seen": "", "footnote": "", "in_report": true}');
CREATE TABLE chunk (
        id INTEGER PRIMARY KEY, stream_id INTEGER NOT NULL REFERENCES stream ON DELETE CASCADE,
        samples INTEGER NOT NULL, data BLOB NOT NULL);
INSERT INTO "chunk" VALUES(1,1,30,X'78DA63946360606062800046BC00A24686012F00AB5A8357092F5E590055760116');
CREATE TABLE device (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "device" VALUES(1,'{"name": "Sandpiper 14", "notes": "", "archived": false, "form": "other", "chip": "", "cores": [], "graphics": {"name": "", "shared": null, "compute_units": null}, "memory": {"kind": "", "size_gb": null, "speed_mts": null, "timings": "", "modules": null, "dual_channel": null, "graphics_share_gb": null}, "storage": "", "cooling": {"fans": null, "heat_pipes": null}, "mass_kg": null, "width_mm": null, "depth_mm": null, "height_mm": null, "display": {"size_in": null, "pixels": "", "shape": "", "refresh_hz": null, "variable_refresh": null}, "battery": {"design_wh": null, "full_wh": null, "charge_min": null}, "adapter_w": null, "temp_limit_c": null, "claims": {"sustained_w": null, "burst_w": null, "window_s": null, "lowest_w": null, "highest_w": null, "step_w": null}, "builds": [], "ports": "", "serial": "", "status": "retail", "came": "not noted", "offers": [], "alarm_temp_c": null, "alarm_surface_c": null, "alarm_battery_c": null, "alarm_charge": null, "reach": "", "shown": [], "change_needs": [], "exclusions": [], "rig": null, "local": false, "untold": []}');
CREATE TABLE draft (
        id INTEGER PRIMARY KEY, kind TEXT NOT NULL, record_id INTEGER NOT NULL, field TEXT NOT NULL,
        text TEXT NOT NULL);
CREATE TABLE instrument (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "instrument" VALUES(1,'{"name": "Level meter", "notes": "", "archived": false, "measures": "noise level", "place": "", "profile": "", "address": "", "serial": "", "every_s": 1.0, "of_reading": null, "of_range": null, "range": null, "resolution": null, "fixed": null}');
CREATE TABLE judged (
        run_id INTEGER PRIMARY KEY REFERENCES run ON DELETE CASCADE, key TEXT NOT NULL, method INTEGER NOT NULL,
        record TEXT NOT NULL);
CREATE TABLE mark (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE,
        t_s REAL NOT NULL, text TEXT NOT NULL);
INSERT INTO "mark" VALUES(1,1,5.0,'door opened');
CREATE TABLE plan (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "plan" VALUES(1,'{"name": "Evenings", "notes": "", "archived": false, "protocol_id": null, "created": "2026-11-28T01:37:54Z", "order": "least total time", "seed": 1, "cells": [{"setting_id": 1, "workload_id": 1, "repeats": 3, "priority": 2}], "sessions": [{"start": "2026-09-14T19:30:00Z", "minutes": 120.0}], "entries": []}');
CREATE TABLE protocol (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "protocol" VALUES(1,'{"name": "Cabin", "notes": "", "archived": false, "ambient_c": null, "ambient_within_k": null, "brightness_nits": null, "volume_percent": null, "room_noise_db": null, "radios": "", "background": "", "builds": [], "warm_up_min": 0.0, "cool_rule": "back near its idle temperature", "cool_within_k": 2.0, "cool_min": 10.0, "repeats": 3, "window_rule": "the settled window, found by its own rule", "low_school": "percentile", "readings_min": 0.0}');
CREATE TABLE reading (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE, record TEXT NOT NULL);
INSERT INTO "reading" VALUES(1,1,'{"run_id": 1, "taken": "2026-09-14T20:01:00Z", "t_s": 20.0, "quantity": "noise level", "value": 41.5, "low": null, "high": null, "place": "", "distance_mm": null, "instrument": "", "u": null, "note": ""}');
CREATE TABLE report (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "report" VALUES(1,'{"title": "Cabin test", "standfirst": "", "publication": "", "author": "", "edition": "1", "disclosure": "", "device_id": null, "licence": "CC-BY-4.0", "template": "", "private": []}');
CREATE TABLE run (
        id INTEGER PRIMARY KEY,
        device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE,
        setting_id INTEGER NOT NULL REFERENCES setting ON DELETE CASCADE,
        workload_id INTEGER NOT NULL REFERENCES workload ON DELETE CASCADE,
        started TEXT NOT NULL, repeat INTEGER NOT NULL, removed INTEGER NOT NULL DEFAULT 0, record TEXT NOT NULL);
INSERT INTO "run" VALUES(1,1,1,1,'2026-09-14T20:00:00Z',1,0,'{"device_id": 1, "setting_id": 1, "workload_id": 1, "repeat": 1, "started": "2026-09-14T20:00:00Z", "ambient_c": 22.0, "source": "", "notes": "Started in spite of: Room: nobody noted it. Mode: performance is on\nThe lid was open.\nTwice.", "before": [], "status": "complete", "reason": "", "samples": 60, "passes": [], "summary": null, "window": null, "builds": [], "protocol_id": 1, "void": "", "removed": false}');
INSERT INTO "run" VALUES(2,1,1,1,'2026-09-14T21:00:00Z',2,0,'{"device_id": 1, "setting_id": 1, "workload_id": 1, "repeat": 2, "started": "2026-09-14T21:00:00Z", "ambient_c": null, "source": "", "notes": "Started in spite of: Supply: on battery", "before": [], "status": "complete", "reason": "", "samples": null, "passes": [], "summary": null, "window": null, "builds": [], "protocol_id": null, "void": "", "removed": false}');
INSERT INTO "run" VALUES(3,1,1,1,'2026-09-14T22:00:00Z',3,0,'{"device_id": 1, "setting_id": 1, "workload_id": 1, "repeat": 3, "started": "2026-09-14T22:00:00Z", "ambient_c": null, "source": "", "notes": "plain words", "before": [], "status": "complete", "reason": "", "samples": null, "passes": [], "summary": null, "window": null, "builds": [], "protocol_id": null, "void": "", "removed": false}');
CREATE TABLE setting (
        id INTEGER PRIMARY KEY, device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE, record TEXT NOT NULL);
INSERT INTO "setting" VALUES(1,1,'{"name": "Even", "notes": "", "archived": false, "device_id": 1, "mode": "", "sustained_w": 28.0, "burst_w": null, "window_s": null, "clock_ceiling_mhz": null, "undervolt_mv": null, "mains": true, "graphics_path": "", "fan": "", "memory_speed_mts": null, "graphics_memory_gb": null, "platform_profile": "", "governor": ""}');
CREATE TABLE stream (
        id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE, channels TEXT NOT NULL);
INSERT INTO "stream" VALUES(1,1,'["cpu.power", "cpu.clock"]');
CREATE TABLE workload (id INTEGER PRIMARY KEY, record TEXT NOT NULL);
INSERT INTO "workload" VALUES(1,'{"name": "Tile Render, all cores", "notes": "", "archived": false, "kind": "other", "rate_channel": "score.rate", "score_unit": "1/s", "higher_is_better": true, "length_s": 600.0, "passes": 1, "warm_up_pass": false, "repeatable": "not noted", "resolution": "", "preset": "", "upscaling": "", "inner_resolution": "", "frame_generation": "", "frame_cap_fps": null, "one_core": false, "runner": "by hand", "command": "", "folder": "", "timeout_s": null, "pause_s": 0.0, "score_from": "no score", "score_pattern": "", "frame_log": "", "frame_column": "", "graphics": false}');
CREATE INDEX setting_device ON setting (device_id);
CREATE INDEX run_cell ON run (device_id, setting_id, workload_id);
CREATE INDEX stream_run ON stream (run_id);
CREATE INDEX chunk_stream ON chunk (stream_id);
CREATE INDEX mark_run ON mark (run_id);
CREATE UNIQUE INDEX draft_field ON draft (kind, record_id, field);
CREATE INDEX reading_run ON reading (run_id);
COMMIT;
