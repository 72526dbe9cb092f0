BEGIN TRANSACTION;
CREATE TABLE bench (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  printer INTEGER REFERENCES printer,
  nozzle INTEGER REFERENCES nozzle,
  spool INTEGER REFERENCES spool,
  temperature_c REAL,
  flow_step_percent REAL NOT NULL DEFAULT 1 CHECK (flow_step_percent > 0),
  show_flow TEXT NOT NULL DEFAULT 'percent' CHECK (show_flow IN ('percent', 'multiplier'))
) STRICT;
INSERT INTO "bench" VALUES(1,1,1,1,210.0,1.0,'percent');
CREATE TABLE change (
  moment INTEGER PRIMARY KEY REFERENCES moment,
  printer INTEGER NOT NULL REFERENCES printer,
  what TEXT NOT NULL
    CHECK (what IN ('nozzle', 'extruder', 'hotend', 'mainboard', 'motion', 'other')),
  nozzle INTEGER REFERENCES nozzle, -- the one fitted, or the one found worn
  affects TEXT NOT NULL CHECK (json_valid(affects)),
  note TEXT
) STRICT;
INSERT INTO "change" VALUES(26,1,'nozzle',NULL,'["flow", "limit", "hole", "contour"]','swapped');
CREATE TABLE entry (
  moment INTEGER NOT NULL REFERENCES moment,
  kind TEXT NOT NULL CHECK (kind IN ('esteps', 'flow', 'limit', 'hole', 'contour')),
  value REAL NOT NULL,
  printer INTEGER NOT NULL REFERENCES printer,
  nozzle INTEGER REFERENCES nozzle,
  spool INTEGER REFERENCES spool,
  temperature_c REAL,
  PRIMARY KEY (moment, kind)
) STRICT;
INSERT INTO "entry" VALUES(1,'esteps',412.0,1,NULL,NULL,NULL);
INSERT INTO "entry" VALUES(8,'esteps',426.5,1,NULL,NULL,NULL);
CREATE TABLE instrument (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  kind TEXT NOT NULL CHECK (kind IN ('calipers', 'ruler', 'micrometer')),
  accuracy_mm REAL CHECK (accuracy_mm >= 0),
  resolution_mm REAL CHECK (resolution_mm > 0),
  zero_mm REAL,
  zeroed INTEGER REFERENCES moment,
  added INTEGER NOT NULL REFERENCES moment
) STRICT;
INSERT INTO "instrument" VALUES(1,'calipers','calipers',NULL,NULL,0.01,5,5);
CREATE TABLE moment (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  uid TEXT NOT NULL UNIQUE DEFAULT (lower(hex(randomblob(8)))), -- the same in every copy
  at TEXT NOT NULL -- UTC, ISO 8601
) STRICT;
INSERT INTO "moment" VALUES(1,'98ab57f1554edbbd','2026-11-25T14:26:26Z');
INSERT INTO "moment" VALUES(2,'20836bc8e330b14f','2026-11-25T14:26:26Z');
INSERT INTO "moment" VALUES(3,'f9e1211c9e69f7ad','2026-11-25T14:26:26Z');
INSERT INTO "moment" VALUES(4,'0c15e09bba5e4a4e','2026-11-25T14:26:26Z');
INSERT INTO "moment" VALUES(5,'1f95ff42a7a56fc5','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(6,'cf06fcaeef7a08d9','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(7,'497ffc7d9b477b5c','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(8,'7724700b391da359','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(9,'cd6653c34bd29f94','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(10,'ef0dbc589a1138c6','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(11,'c67c5abdee3641ea','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(12,'0ad4ae712c18de73','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(13,'5f521bd36c01a6ed','2026-11-25T14:26:27Z');
INSERT INTO "moment" VALUES(14,'8138ebfc2da3d075','2026-11-25T14:26:30Z');
INSERT INTO "moment" VALUES(15,'1a15cdfde12f6fe9','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(16,'598a189a573c4af5','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(17,'6d1641cdec31e2fb','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(18,'20051e58ec5329ab','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(19,'25844d426e22ae17','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(20,'1cd3249c551d70d6','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(21,'63c7a668909202a8','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(22,'e10d8722e0706a9f','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(23,'cd9599695f7e82c9','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(24,'15b164a0ed9a99ae','2026-11-25T14:26:31Z');
INSERT INTO "moment" VALUES(25,'27c1da9c3b4ccdd6','2026-11-25T14:26:32Z');
INSERT INTO "moment" VALUES(26,'5263a7bface7ba66','2026-11-25T14:26:32Z');
CREATE TABLE nozzle (
  id INTEGER PRIMARY KEY,
  printer INTEGER NOT NULL REFERENCES printer,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  bore_mm REAL NOT NULL CHECK (bore_mm > 0),
  material TEXT,
  hot_end TEXT,
  worn INTEGER REFERENCES moment,
  added INTEGER NOT NULL REFERENCES moment
) STRICT;
INSERT INTO "nozzle" VALUES(1,1,'heron-0.5',0.5,NULL,NULL,NULL,1);
CREATE TABLE outcome (
  trial INTEGER NOT NULL REFERENCES trial,
  kind TEXT NOT NULL CHECK (kind IN ('esteps', 'flow', 'limit', 'hole', 'contour', 'scale')),
  value_now REAL,
  value_new REAL,
  u95 REAL,
  value_to_type REAL,
  PRIMARY KEY (trial, kind)
) STRICT, WITHOUT ROWID;
INSERT INTO "outcome" VALUES(2,'esteps',412.0,4.26501035196687325887e+02,1.36824522076889487642e+00,426.5);
INSERT INTO "outcome" VALUES(3,'flow',1.0,9.43249781572662371331e-01,2.9946317674516109708e-02,0.94);
INSERT INTO "outcome" VALUES(4,'flow',0.93,8.72719838547716619814e-01,3.71296250342384934195e-02,0.87);
INSERT INTO "outcome" VALUES(5,'limit',NULL,7.56000000000000049737e+00,0.2036891749701,7.5);
INSERT INTO "outcome" VALUES(6,'limit',NULL,10.2375,0.1125,10.0);
INSERT INTO "outcome" VALUES(7,'limit',NULL,1.06249354838709688666e+01,5.28431165680877334978e-01,10.5);
INSERT INTO "outcome" VALUES(8,'limit',NULL,10.0,NULL,10.0);
INSERT INTO "outcome" VALUES(9,'contour',0.0,-3.63899337273854150964e-02,3.09823578460001400336e-02,-0.04);
INSERT INTO "outcome" VALUES(9,'hole',0.0,9.62452982267620882339e-02,2.1659081639351263071e-02,0.1);
INSERT INTO "outcome" VALUES(9,'scale',0.998674099946266,0.998674099946266,3.4726319611345949842e-03,0.998674099946266);
INSERT INTO "outcome" VALUES(11,'flow',0.9,9.2013064193074545205e-01,6.48173008677565276602e-02,0.9);
CREATE TABLE printer (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  decimals INTEGER NOT NULL CHECK (decimals BETWEEN 0 AND 6),
  line_model TEXT CHECK (line_model IN ('plain', 'rounded', 'rectangular')),
  full_steps REAL CHECK (full_steps > 0),
  microsteps REAL CHECK (microsteps > 0),
  added INTEGER NOT NULL REFERENCES moment
) STRICT;
INSERT INTO "printer" VALUES(1,'heron',2,NULL,NULL,NULL,1);
CREATE TABLE reading (
  trial INTEGER NOT NULL REFERENCES trial,
  position INTEGER NOT NULL,
  side TEXT NOT NULL,
  value_mm REAL NOT NULL,
  typed TEXT NOT NULL, -- as it came from the calipers
  version INTEGER NOT NULL DEFAULT 0,
  amended INTEGER REFERENCES moment, -- when the next version took its place
  PRIMARY KEY (trial, position, version)
) STRICT, WITHOUT ROWID;
INSERT INTO "reading" VALUES(1,1,'place 1',1.75,'1.75',0,NULL);
INSERT INTO "reading" VALUES(1,2,'place 1',1.74,'1.74',0,NULL);
INSERT INTO "reading" VALUES(1,3,'place 2',1.76,'1.76',0,NULL);
INSERT INTO "reading" VALUES(2,1,'run 1',35.1,'35.1',0,NULL);
INSERT INTO "reading" VALUES(2,2,'run 2',34.8,'34.8',0,NULL);
INSERT INTO "reading" VALUES(2,3,'run 3',35.4,'35.4',0,NULL);
INSERT INTO "reading" VALUES(3,1,'',0.54,'0.54',0,NULL);
INSERT INTO "reading" VALUES(3,2,'',0.55,'0.55',0,19);
INSERT INTO "reading" VALUES(3,2,'',0.54,'0.54',1,NULL);
INSERT INTO "reading" VALUES(3,3,'',0.53,'0.53',0,NULL);
INSERT INTO "reading" VALUES(3,4,'',0.54,'0.54',0,NULL);
INSERT INTO "reading" VALUES(4,1,'',0.54,'0.54',0,NULL);
INSERT INTO "reading" VALUES(4,2,'',0.54,'0.54',0,NULL);
INSERT INTO "reading" VALUES(5,1,'gaps',31.5,'31.5',0,NULL);
INSERT INTO "reading" VALUES(5,2,'gaps',32.0,'32',0,NULL);
INSERT INTO "reading" VALUES(5,3,'matte',22.0,'22',0,NULL);
INSERT INTO "reading" VALUES(6,1,'gaps',30.0,'30',0,NULL);
INSERT INTO "reading" VALUES(7,1,'3 mm³/s',99.8,'99.8',0,NULL);
INSERT INTO "reading" VALUES(7,2,'5 mm³/s',100.1,'100.1',0,NULL);
INSERT INTO "reading" VALUES(7,3,'7 mm³/s',99.7,'99.7',0,NULL);
INSERT INTO "reading" VALUES(7,4,'9 mm³/s',99.4,'99.4',0,NULL);
INSERT INTO "reading" VALUES(7,5,'11 mm³/s',98.2,'98.2',0,NULL);
INSERT INTO "reading" VALUES(7,6,'13 mm³/s',95.1,'95.1',0,NULL);
INSERT INTO "reading" VALUES(8,1,'4 mm³/s',31.2,'31.2',0,NULL);
INSERT INTO "reading" VALUES(8,2,'4 mm³/s',32.0,'32',0,NULL);
INSERT INTO "reading" VALUES(8,3,'4 mm³/s',30.8,'30.8',0,NULL);
INSERT INTO "reading" VALUES(8,4,'4 mm³/s',31.5,'31.5',0,NULL);
INSERT INTO "reading" VALUES(8,5,'7 mm³/s',31.0,'31',0,NULL);
INSERT INTO "reading" VALUES(8,6,'7 mm³/s',31.9,'31.9',0,NULL);
INSERT INTO "reading" VALUES(8,7,'7 mm³/s',30.9,'30.9',0,NULL);
INSERT INTO "reading" VALUES(8,8,'7 mm³/s',31.6,'31.6',0,NULL);
INSERT INTO "reading" VALUES(8,9,'10 mm³/s',30.6,'30.6',0,NULL);
INSERT INTO "reading" VALUES(8,10,'10 mm³/s',31.4,'31.4',0,NULL);
INSERT INTO "reading" VALUES(8,11,'10 mm³/s',31.1,'31.1',0,NULL);
INSERT INTO "reading" VALUES(8,12,'10 mm³/s',30.9,'30.9',0,NULL);
INSERT INTO "reading" VALUES(8,13,'13 mm³/s',26.4,'26.4',0,NULL);
INSERT INTO "reading" VALUES(8,14,'13 mm³/s',28.1,'28.1',0,NULL);
INSERT INTO "reading" VALUES(8,15,'13 mm³/s',27.3,'27.3',0,NULL);
INSERT INTO "reading" VALUES(8,16,'13 mm³/s',25.8,'25.8',0,NULL);
INSERT INTO "reading" VALUES(9,1,'hole 4',3.79,'3.79',0,NULL);
INSERT INTO "reading" VALUES(9,2,'hole 4',3.8,'3.8',0,NULL);
INSERT INTO "reading" VALUES(9,3,'hole 6',5.8,'5.8',0,NULL);
INSERT INTO "reading" VALUES(9,4,'hole 10, goes',9.8,'9.8',0,NULL);
INSERT INTO "reading" VALUES(9,5,'hole 10, does not',9.9,'9.9',0,NULL);
INSERT INTO "reading" VALUES(9,6,'post 4',4.09,'4.09',0,NULL);
INSERT INTO "reading" VALUES(9,7,'post 20 x',20.1,'20.1',0,NULL);
INSERT INTO "reading" VALUES(9,8,'post 20 y',20.0,'20',0,NULL);
INSERT INTO "reading" VALUES(10,1,'press',0.1,'0.1=press',0,NULL);
INSERT INTO "reading" VALUES(10,2,'snug',0.2,'0.2=snug',0,NULL);
INSERT INTO "reading" VALUES(10,3,'slide',0.3,'0.3=slide',0,NULL);
INSERT INTO "reading" VALUES(11,1,'',0.5,'0.5',0,NULL);
CREATE TABLE spool (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  material TEXT NOT NULL CHECK (material <> ''),
  maker TEXT,
  colour TEXT,
  batch TEXT,
  diameter_mm REAL NOT NULL CHECK (diameter_mm > 0),
  foaming INTEGER NOT NULL CHECK (foaming IN (0, 1)),
  flexible INTEGER NOT NULL CHECK (flexible IN (0, 1)),
  added INTEGER NOT NULL REFERENCES moment
) STRICT;
INSERT INTO "spool" VALUES(1,'fern-1','PLA','Saltmarsh','green',NULL,1.75,0,0,2);
INSERT INTO "spool" VALUES(2,'sea green','PETG',NULL,NULL,NULL,1.75,0,0,3);
CREATE TABLE trial (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  test TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('planned', 'measured', 'withdrawn')),
  printer INTEGER NOT NULL REFERENCES printer,
  nozzle INTEGER NOT NULL REFERENCES nozzle,
  spool INTEGER NOT NULL REFERENCES spool,
  temperature_c REAL,
  speed_mm_s REAL,
  feed_rate_mm_s REAL,
  through TEXT CHECK (through IN ('nozzle', 'open')),
  instrument TEXT,
  settings TEXT NOT NULL CHECK (json_valid(settings)),
  findings TEXT CHECK (findings IS NULL OR json_valid(findings)),
  verdict TEXT CHECK (verdict IN ('keep', 'correct', 'unclear', 'recheck')),
  planned INTEGER REFERENCES moment,
  measured INTEGER REFERENCES moment,
  withdrawn INTEGER REFERENCES moment,
  CHECK (state <> 'measured' OR (measured IS NOT NULL AND verdict IS NOT NULL)),
  CHECK (state <> 'planned' OR planned IS NOT NULL),
  CHECK (state <> 'withdrawn' OR withdrawn IS NOT NULL)
) STRICT;
INSERT INTO "trial" VALUES(1,'diameter','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"slicer_mm": 1.75, "instrument_mm": [0.012, 0.01, 0.01, 0.01]}','{"diameter_mm": 1.7425, "diameter_u95_mm": 0.019024327802404307, "slicer_mm": 1.75, "out_of_round_mm": 0.0, "uneven_mm": 0.014999999999999902, "flow_factor": 1.0086268471765654, "flow_factor_u95": 0.02202404335264566, "verdict": "keep", "reason": "its cross-section is -0.9 % off the slicer''s, within \u00b11 %", "remedies": [], "notes": []}','keep',6,6,NULL);
INSERT INTO "trial" VALUES(2,'esteps','measured',1,1,1,210.0,NULL,NULL,'nozzle','calipers','{"way": "left", "asked_mm": 150.0, "mark_mm": 180.0, "steps": 412.0, "instrument_mm": [0.25, 0.03, 0.01, 0.0]}','{"moved_mm": 144.9, "moved_u95_mm": 0.4648493582154681, "asked_mm": 150.0, "steps_now": 412.0, "steps_new": 426.5010351966873, "steps_new_u95": 1.3682452207688949, "steps_below": null, "steps_to_type": 426.5, "change_percent": 3.519668737060022, "verdict": "correct", "reason": "moved 5.10 mm less than the 150 mm asked (-3.40 %), more than \u00b10.5 %", "remedies": [], "notes": []}','correct',7,7,NULL);
INSERT INTO "trial" VALUES(3,'flow','measured',1,1,1,210.0,40.0,NULL,NULL,'calipers','{"width_mm": 0.5, "walls": 1, "layer_mm": 0.2, "line_model": "plain", "aim_mm": null, "flow_percent": 100.0, "rule": "bead", "accept_percent": [-2.5, 4.5], "round_to_percent": 1.0, "round": "nearest", "instrument_mm": [0.012, 0.01, 0.01, 0.01], "esteps": 426.5}','{"wall_mm": 0.5275000000000001, "wall_u95_mm": 0.015384446307133818, "wall_u_mm": 0.0076273903357133455, "wall_readings": 4, "target_mm": 0.5, "targets_mm": {"plain": 0.5, "rounded": 0.5, "rectangular": 0.5429203673205103}, "line_model": "plain", "flow_now_percent": 100.0, "flow_new_percent": 94.32497815726623, "flow_new_u95_percent": 2.9946317674516107, "flow_plain_percent": 94.78672985781989, "flow_trend_percent": null, "flow_under_percent": {"plain": 94.32497815726623, "rounded": 94.32497815726623, "rectangular": 103.18221532243174}, "flow_to_type_percent": 94.0, "rule": "bead", "verdict": "correct", "reason": "the wall is +5.5 % off, outside -2.5 \u2026 +4.5 %", "remedies": [], "notes": []}','correct',9,9,NULL);
INSERT INTO "trial" VALUES(4,'flow','measured',1,1,1,210.0,40.0,NULL,NULL,'calipers','{"width_mm": 0.5, "walls": 1, "layer_mm": 0.2, "line_model": "plain", "aim_mm": null, "flow_percent": 93.0, "rule": "bead", "accept_percent": [-2.5, 4.5], "round_to_percent": 1.0, "round": "nearest", "instrument_mm": [0.012, 0.01, 0.01, 0.01], "esteps": 426.5}','{"wall_mm": 0.53, "wall_u95_mm": 0.020722668747050896, "wall_u_mm": 0.009660917830792959, "wall_readings": 2, "target_mm": 0.5, "targets_mm": {"plain": 0.5, "rounded": 0.5, "rectangular": 0.5429203673205103}, "line_model": "plain", "flow_now_percent": 93.0, "flow_new_percent": 87.27198385477166, "flow_new_u95_percent": 3.7129625034238494, "flow_plain_percent": 87.73584905660378, "flow_trend_percent": null, "flow_under_percent": {"plain": 87.27198385477166, "rounded": 87.27198385477166, "rectangular": 95.46693575380544}, "flow_to_type_percent": 87.0, "rule": "bead", "verdict": "correct", "reason": "the wall is +6.0 % off, outside -2.5 \u2026 +4.5 %", "remedies": [], "notes": ["the logbook had flow 100 % (1.00x) in force; you gave 93 % (0.93x), which is used and now counts as in force"]}','correct',10,10,NULL);
INSERT INTO "trial" VALUES(5,'volumetric','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"way": "ramp", "from_mm3_s": 4.0, "rise_mm3_s_mm": null, "step_mm3_s": 0.4, "every_mm": 2.5, "base_mm": 0.0, "to_mm3_s": 24.0, "marker_every_mm": null, "within_mm": 0.5, "margin_percent": 10.0, "round_to_mm3_s": 0.5, "width_mm": 0.5, "layer_mm": 0.2, "line_model": "plain", "flow_percent": 93.0, "walls": null, "bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": null, "set_speeds": [["outer", 120.0, 0.5, 0.2]]}','{"last_good_mm3_s": 8.4, "limit_mm3_s": 7.5, "limit_u95_mm3_s": 0.2036891749701, "limit_unrounded_mm3_s": 7.5600000000000005, "limit_below_mm3_s": null, "limit_now_mm3_s": null, "limit_to_type_mm3_s": 7.5, "bound": null, "even_looks_mm3_s": 6.5, "spread_mm3_s": 0.0, "speed_mm_s": 80.64516129032256, "capped": [{"name": "outer", "set_mm_s": 120.0, "width_mm": 0.5, "layer_mm": 0.2, "asked_mm3_s": 11.16, "left_mm_s": 80.64516129032256, "lost": 0.327956989247312, "capped": true}], "next_ramp": null, "verdict": "correct", "reason": "no limit was in force yet", "remedies": [], "notes": ["speeds are reckoned at flow 93 % (0.93x); flow is advised: trial 4 advises it; not yet said to be typed in", "2 sightings agree"]}','correct',11,11,NULL);
INSERT INTO "trial" VALUES(6,'volumetric','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"way": "ramp", "from_mm3_s": 4.0, "rise_mm3_s_mm": 0.25, "step_mm3_s": null, "every_mm": null, "base_mm": 0.0, "to_mm3_s": null, "marker_every_mm": null, "within_mm": 0.5, "margin_percent": 10.0, "round_to_mm3_s": 0.5, "width_mm": 0.5, "layer_mm": 0.2, "line_model": "plain", "flow_percent": 93.0, "walls": null, "bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": null, "set_speeds": []}','{"last_good_mm3_s": 11.375, "limit_mm3_s": 10.0, "limit_u95_mm3_s": 0.1125, "limit_unrounded_mm3_s": 10.2375, "limit_below_mm3_s": null, "limit_now_mm3_s": null, "limit_to_type_mm3_s": 10.0, "bound": null, "even_looks_mm3_s": null, "spread_mm3_s": 0.0, "speed_mm_s": 107.5268817204301, "capped": [], "next_ramp": null, "verdict": "correct", "reason": "no limit was in force yet", "remedies": [], "notes": ["speeds are reckoned at flow 93 % (0.93x); flow is advised: trial 4 advises it; not yet said to be typed in"]}','correct',12,12,NULL);
INSERT INTO "trial" VALUES(7,'volumetric','measured',1,1,1,210.0,NULL,NULL,'nozzle','calipers','{"way": "feed", "bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": null, "margin_percent": 10.0, "round_to_mm3_s": 0.5, "instrument_mm": [0.25, 0.03, 0.01, 0.0], "fed": [[3.0, 100.0], [5.0, 100.0], [7.0, 100.0], [9.0, 100.0], [11.0, 100.0], [13.0, 100.0]]}','{"last_good_mm3_s": 11.805483870967743, "limit_mm3_s": 10.5, "limit_u95_mm3_s": 0.5284311656808773, "limit_unrounded_mm3_s": 10.624935483870969, "limit_now_mm3_s": null, "limit_to_type_mm3_s": 10.5, "bound": null, "even_looks_mm3_s": null, "speed_mm_s": 112.9032258064516, "short_alike": 0.000500000000000056, "points": [{"flow_mm3_s": 3.0, "shortfall": 0.0015007503751874873, "u95": 0.009105311620314162, "runs": 1}, {"flow_mm3_s": 5.0, "shortfall": -0.0015007503751875984, "u95": 0.009105311620314162, "runs": 1}, {"flow_mm3_s": 7.0, "shortfall": 0.00250125062531259, "u95": 0.009105311620314162, "runs": 1}, {"flow_mm3_s": 9.0, "shortfall": 0.005502751375687676, "u95": 0.009105311620314162, "runs": 1}, {"flow_mm3_s": 11.0, "shortfall": 0.017508754377188573, "u95": 0.009105311620314162, "runs": 1}, {"flow_mm3_s": 13.0, "shortfall": 0.04852426213106553, "u95": 0.009105311620314162, "runs": 1}], "verdict": "correct", "reason": "no limit was in force yet", "remedies": [], "notes": ["speeds are reckoned at flow 93 % (0.93x); flow is advised: trial 4 advises it; not yet said to be typed in"]}','correct',13,13,NULL);
INSERT INTO "trial" VALUES(8,'volumetric','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"way": "strength", "bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": null, "round_to_mm3_s": 0.5, "coupon_diameter_mm": null, "coupon_length_mm": null, "accel_mm_s2": null, "layer_path_mm": null, "layer_time_s": null, "area_mm2": null}','{"last_good_mm3_s": 10.0, "limit_mm3_s": 10.0, "limit_u95_mm3_s": null, "limit_unrounded_mm3_s": 10.0, "limit_now_mm3_s": null, "limit_to_type_mm3_s": 10.0, "bound": null, "even_looks_mm3_s": null, "groups": [{"flow_mm3_s": 4.0, "n": 4, "mean_mpa": 31.375, "scatter_mpa": 0.5057996968497838, "u95_mpa": 0.8048401882266069, "against_mm3_s": 4.0, "ratio": 1.0, "verdict": "held", "more_coupons": null}, {"flow_mm3_s": 7.0, "n": 4, "mean_mpa": 31.35, "scatter_mpa": 0.4795831523312721, "u95_mpa": 0.7631238156064852, "against_mm3_s": 4.0, "ratio": 0.9992031872509961, "verdict": "held", "more_coupons": null}, {"flow_mm3_s": 10.0, "n": 4, "mean_mpa": 31.0, "scatter_mpa": 0.3366501646120684, "u95_mpa": 0.5356855362714146, "against_mm3_s": 4.0, "ratio": 0.9880478087649402, "verdict": "held", "more_coupons": null}, {"flow_mm3_s": 13.0, "n": 4, "mean_mpa": 26.9, "scatter_mpa": 1.0099504938362085, "u95_mpa": 1.6070566088142488, "against_mm3_s": 4.0, "ratio": 0.8573705179282868, "verdict": "lost", "more_coupons": null}], "speed_mm_s": null, "verdict": "correct", "reason": "strength is lost at 13 mm\u00b3/s; 10 is the fastest below that", "remedies": [], "notes": ["what helps where strength is lost: slower, hotter, less cooling, or a hot end that melts more"]}','correct',14,14,NULL);
INSERT INTO "trial" VALUES(9,'xy','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"hole_set_mm": 0.0, "contour_set_mm": 0.0, "free_scale": null, "instrument_mm": [0.02, 0.02, 0.01, 0.01], "features": [{"kind": "hole", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 2}, {"kind": "hole", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1}, {"kind": "hole", "nominal_mm": 1.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": true, "pins": false, "readings": 0}, {"kind": "hole", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": true, "readings": 0}, {"kind": "post", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1}, {"kind": "post", "nominal_mm": 20.0, "axis": "x", "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1}, {"kind": "post", "nominal_mm": 20.0, "axis": "y", "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1}]}','{"hole_per_side_mm": 0.09624529822676209, "hole_u95_mm": 0.021659081639351263, "hole_on_diameter_mm": 0.19249059645352418, "hole_set_mm": 0.0, "hole_new_mm": 0.09624529822676209, "hole_to_type_mm": 0.1, "contour_per_side_mm": -0.036389933727385415, "contour_u95_mm": 0.03098235784600014, "contour_on_diameter_mm": -0.07277986745477083, "contour_set_mm": 0.0, "contour_new_mm": -0.036389933727385415, "contour_to_type_mm": -0.04, "scale": 0.998674099946266, "scale_u95": 0.003472631961134595, "scale_freed": false, "free_scale": 0.9983509258167217, "free_scale_u95": 0.004236272053950381, "scatter_mm": 0.022678274020223013, "hole_with_all_mm": 0.09624529822676209, "contour_with_all_mm": -0.036389933727385415, "features": [{"name": "hole 4", "kind": "hole", "nominal_mm": 4.0, "measured_mm": 3.785, "off_fit_mm": -0.01720580333153965, "off_fit_u95_mm": 0.052296099890634266, "left_out": false, "out_of_round_mm": 0.009999999999999787, "after_mm": 3.9850000000000003}, {"name": "hole 6", "kind": "hole", "nominal_mm": 6.0, "measured_mm": 5.79, "off_fit_mm": -0.009554003224072183, "off_fit_u95_mm": 0.052296099890634266, "left_out": false, "out_of_round_mm": null, "after_mm": 5.99}, {"name": "hole 10", "kind": "hole", "nominal_mm": 10.0, "measured_mm": 9.850000000000001, "off_fit_mm": 0.055749596990866124, "off_fit_u95_mm": 0.06656848603756362, "left_out": false, "out_of_round_mm": null, "after_mm": 10.05}, {"name": "post 4", "kind": "post", "nominal_mm": 4.0, "measured_mm": 4.08, "off_fit_mm": 0.012523732760165274, "off_fit_u95_mm": 0.052296099890634266, "left_out": false, "out_of_round_mm": null, "after_mm": 4.0}, {"name": "post 20 x", "kind": "post", "nominal_mm": 20.0, "measured_mm": 20.09, "off_fit_mm": -0.006261866380089742, "off_fit_u95_mm": 0.052296099890634266, "left_out": false, "out_of_round_mm": null, "after_mm": 20.01}, {"name": "post 20 y", "kind": "post", "nominal_mm": 20.0, "measured_mm": 19.99, "off_fit_mm": -0.006261866380089742, "off_fit_u95_mm": 0.052296099890634266, "left_out": false, "out_of_round_mm": null, "after_mm": 19.91}], "axes": {"x_percent": 0.1174099946266044, "y_percent": -0.38259000537340604, "difference_percent": 0.5000000000000104, "difference_u95_percent": 0.36978926862276557, "differ": true}, "lips_mm": {}, "smallest_mm": {"hole": 4.0, "post": 4.0}, "not_printed": ["hole 1"], "verdict": "correct", "reason": "enlarge holes by 0.10 mm per side \u00b1 0.02 and shrink outlines by 0.04 mm per side \u00b1 0.03", "remedies": [], "notes": ["no hole compensation is known to be set: 0 is taken (--hole-set)", "no contour compensation is known to be set: 0 is taken (--contour-set)", "x comes out +0.12 %, y -0.38 %: that is a matter of the axes (belt, steps), not of compensation", "hole 1 did not print; the smallest that did is 4 mm"]}','correct',15,15,NULL);
INSERT INTO "trial" VALUES(10,'fit','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"way": "pair", "want": "slide", "now_mm": 0.1, "hole_set_mm": 0.0, "contour_set_mm": 0.0, "hole_share": 0.7256390086461676, "thread": null}','{"want": "slide", "begins_mm": 0.25, "begins_u95_mm": 0.04999999999999999, "tighter_mm": 0.2, "fits_mm": 0.3, "ends_mm": null, "contradictory": [], "now_mm": 0.1, "open_mm": 0.15, "open_surely_mm": 0.19999999999999998, "hole_change_mm": 0.05, "contour_change_mm": -0.03, "hole_to_type_mm": 0.05, "contour_to_type_mm": -0.03, "thread": null, "verdict": "correct", "reason": "0.1 mm is 0.15 mm too little on the diameter for slide", "remedies": [], "notes": []}','correct',16,16,NULL);
INSERT INTO "trial" VALUES(11,'flow','withdrawn',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"width_mm": 0.5, "walls": 1, "layer_mm": 0.2, "line_model": "plain", "aim_mm": null, "flow_percent": 90.0, "rule": "bead", "accept_percent": [-2.5, 4.5], "round_to_percent": 1.0, "round": "nearest", "instrument_mm": [0.012, 0.01, 0.01, 0.01], "esteps": 426.5}','{"wall_mm": 0.49, "wall_u95_mm": 0.03149389200040753, "wall_u_mm": 0.013316656236958786, "wall_readings": 1, "target_mm": 0.5, "targets_mm": {"plain": 0.5, "rounded": 0.5, "rectangular": 0.5429203673205103}, "line_model": "plain", "flow_now_percent": 90.0, "flow_new_percent": 92.01306419307454, "flow_new_u95_percent": 6.481730086775653, "flow_plain_percent": 91.83673469387756, "flow_trend_percent": null, "flow_under_percent": {"plain": 92.01306419307454, "rounded": 92.01306419307454, "rectangular": 100.65320965372715}, "flow_to_type_percent": 90.0, "rule": "bead", "verdict": "unclear", "reason": "the wall is known to \u00b10.031 mm only and is off by -0.010 mm: it may well be right", "remedies": ["1 more reading of the same cube", "a cube with 2 walls, measured as often"], "notes": ["the logbook had flow 93 % (0.93x) in force; you gave 90 % (0.90x), which is used and now counts as in force"]}','unclear',17,17,18);
INSERT INTO "trial" VALUES(12,'diameter','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"slicer_mm": 1.75, "instrument_mm": [0.012, 0.01, 0.01, 0.01]}',NULL,NULL,20,NULL,NULL);
INSERT INTO "trial" VALUES(13,'esteps','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"way": "left", "asked_mm": 150.0, "mark_mm": 180.0, "steps": 426.5}',NULL,NULL,21,NULL,NULL);
INSERT INTO "trial" VALUES(14,'flow','planned',1,1,1,210.0,40.0,NULL,NULL,'calipers','{"width_mm": 0.5, "walls": 1, "layer_mm": 0.2, "line_model": "plain", "aim_mm": null, "flow_percent": 93.0, "rule": "bead", "accept_percent": [-1.0, 9.0], "round_to_percent": 1.0, "round": "nearest", "instrument_mm": [0.012, 0.01, 0.01, 0.01], "esteps": 426.5}',NULL,NULL,22,NULL,NULL);
INSERT INTO "trial" VALUES(15,'volumetric','planned',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"way": "ramp", "from_mm3_s": 5.0, "rise_mm3_s_mm": null, "step_mm3_s": 0.5, "every_mm": 2.0, "base_mm": 0.0, "to_mm3_s": 16.0, "marker_every_mm": null, "within_mm": 0.5, "margin_percent": 10.0, "round_to_mm3_s": 0.5, "width_mm": 0.5, "layer_mm": 0.2, "line_model": "plain", "flow_percent": 93.0, "walls": 1, "bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": null, "set_speeds": []}',NULL,NULL,23,NULL,NULL);
INSERT INTO "trial" VALUES(16,'xy','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"hole_set_mm": 0.0, "contour_set_mm": 0.0, "free_scale": null, "instrument_mm": [0.02, 0.02, 0.01, 0.01], "features": [{"kind": "hole", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "hole", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "hole", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "hole", "nominal_mm": 16.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "hole", "nominal_mm": 30.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "post", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "post", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "post", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "post", "nominal_mm": 16.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}, {"kind": "post", "nominal_mm": 30.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0}]}',NULL,NULL,24,NULL,NULL);
INSERT INTO "trial" VALUES(17,'fit','planned',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"way": "pair", "want": "slide", "now_mm": null, "hole_set_mm": 0.0, "contour_set_mm": 0.0, "hole_share": 0.7256390086461676, "thread": null}',NULL,NULL,25,NULL,NULL);
CREATE INDEX nozzle_of_printer ON nozzle (printer);
CREATE INDEX change_of_printer ON change (printer);
CREATE INDEX trial_of_printer ON trial (printer, test, state, measured);
CREATE INDEX trial_of_bench ON trial (printer, nozzle, spool, test, state, measured);
CREATE INDEX trial_of_test ON trial (test, id);
CREATE INDEX trial_of_spool ON trial (spool, test, state, measured);
CREATE INDEX trial_planned ON trial (printer, nozzle, spool) WHERE state = 'planned';
CREATE INDEX entry_of_bench ON entry (printer, kind, nozzle, spool, moment);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('moment',26);
INSERT INTO "sqlite_sequence" VALUES('trial',17);
COMMIT;
