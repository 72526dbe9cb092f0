BEGIN TRANSACTION;
CREATE TABLE bench (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  printer INTEGER REFERENCES printer,
  nozzle INTEGER REFERENCES nozzle,
  spool INTEGER REFERENCES spool,
  temperature_c REAL,
  speed_mm_s REAL CHECK (speed_mm_s > 0), -- that flow stands for
  flow_step_percent REAL NOT NULL DEFAULT 1 CHECK (flow_step_percent > 0),
  show_flow TEXT NOT NULL DEFAULT 'percent' CHECK (show_flow IN ('percent', 'multiplier'))
) STRICT;
INSERT INTO "bench" VALUES(1,1,1,1,210.0,NULL,1.0,'percent');
CREATE TABLE change (
  moment INTEGER PRIMARY KEY REFERENCES moment,
  printer INTEGER NOT NULL REFERENCES printer,
  what TEXT NOT NULL CHECK (what <> ''),
  nozzle INTEGER REFERENCES nozzle, -- the one fitted, or the one found worn
  affects TEXT NOT NULL CHECK (json_valid(affects)),
  note TEXT,
  withdrawn INTEGER REFERENCES moment
) STRICT;
INSERT INTO "change" VALUES(47,1,'nozzle',2,'["flow", "limit", "hole", "contour"]','for a base',NULL);
INSERT INTO "change" VALUES(48,1,'nozzle',1,'["flow", "limit", "hole", "contour"]',NULL,NULL);
INSERT INTO "change" VALUES(49,1,'mainboard',NULL,'["esteps", "flow", "limit", "hole", "contour", "scale"]',NULL,NULL);
CREATE TABLE edit (
  moment INTEGER NOT NULL REFERENCES moment,
  subject TEXT NOT NULL CHECK (subject <> ''), -- the table
  item INTEGER NOT NULL, -- the id of its row; of a reading, that of the trial
  field TEXT NOT NULL CHECK (field <> ''), -- the column; of a reading, its position
  was TEXT NOT NULL CHECK (json_valid(was)),
  now TEXT NOT NULL CHECK (json_valid(now)),
  undone INTEGER REFERENCES moment,
  PRIMARY KEY (moment, subject, item, field)
) STRICT, WITHOUT ROWID;
INSERT INTO "edit" VALUES(3,'bench',1,'nozzle','null','1',NULL);
INSERT INTO "edit" VALUES(3,'bench',1,'printer','null','1',NULL);
INSERT INTO "edit" VALUES(3,'bench',1,'spool','null','1',NULL);
INSERT INTO "edit" VALUES(3,'bench',1,'temperature_c','null','210.0',NULL);
INSERT INTO "edit" VALUES(3,'spool',1,'temperature_c','null','210.0',NULL);
INSERT INTO "edit" VALUES(4,'instrument',1,'zero_mm','null','0.01',NULL);
INSERT INTO "edit" VALUES(4,'instrument',1,'zeroed','null','4',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'accel_mm_s2','null','1000.0',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'bed_x_mm','null','220.0',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'bed_y_mm','null','220.0',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'bed_z_mm','null','250.0',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'head_above_mm','null','30.0',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'head_round_mm','null','40.0',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'hottest_c','null','260.0',NULL);
INSERT INTO "edit" VALUES(5,'printer',1,'steps_in','null','"memory"',NULL);
INSERT INTO "edit" VALUES(6,'printer',1,'port','null','"socket://heron.local:23"',NULL);
INSERT INTO "edit" VALUES(7,'printer',1,'start_gcode','null','"G28\n"',NULL);
INSERT INTO "edit" VALUES(8,'spool',1,'bed_c','null','60.0',NULL);
INSERT INTO "edit" VALUES(8,'spool',1,'fan_percent','null','80.0',NULL);
INSERT INTO "edit" VALUES(8,'spool',1,'hottest_c','null','230.0',NULL);
INSERT INTO "edit" VALUES(29,'printer',1,'line_model','null','"rounded"',NULL);
INSERT INTO "edit" VALUES(38,'reading',23,'1','"1.46"','"1.48"',NULL);
INSERT INTO "edit" VALUES(42,'trial',1,'note','null','"the blue calipers"',NULL);
INSERT INTO "edit" VALUES(43,'spool',1,'name','"fern-1"','"fern-one"',NULL);
INSERT INTO "edit" VALUES(44,'spool',1,'name','"fern-one"','"fern-1"',NULL);
INSERT INTO "edit" VALUES(47,'bench',1,'nozzle','1','2',NULL);
INSERT INTO "edit" VALUES(48,'bench',1,'nozzle','2','1',NULL);
CREATE TABLE entry (
  moment INTEGER NOT NULL REFERENCES moment,
  kind TEXT NOT NULL CHECK (kind <> ''),
  value REAL NOT NULL,
  printer INTEGER NOT NULL REFERENCES printer,
  nozzle INTEGER REFERENCES nozzle,
  spool INTEGER REFERENCES spool,
  temperature_c REAL,
  read_off INTEGER NOT NULL DEFAULT 0 CHECK (read_off IN (0, 1)), -- the printer; not typed in
  opened_mm REAL, -- what of it was opened for a fit, per side
  withdrawn INTEGER REFERENCES moment,
  PRIMARY KEY (moment, kind)
) STRICT;
INSERT INTO "entry" VALUES(1,'esteps',412.0,1,NULL,NULL,NULL,0,NULL,NULL);
INSERT INTO "entry" VALUES(11,'esteps',426.5,1,NULL,NULL,NULL,0,NULL,NULL);
INSERT INTO "entry" VALUES(15,'limit',9.5,1,1,1,210.0,0,NULL,NULL);
INSERT INTO "entry" VALUES(22,'hole',0.09,1,1,1,NULL,0,NULL,NULL);
INSERT INTO "entry" VALUES(50,'esteps',420.0,1,NULL,NULL,NULL,1,NULL,NULL);
CREATE TABLE fate (
  moment INTEGER NOT NULL REFERENCES moment,
  trial INTEGER NOT NULL REFERENCES trial,
  withdrawn INTEGER NOT NULL CHECK (withdrawn IN (0, 1)), -- 0 where it was brought back
  PRIMARY KEY (trial, moment)
) STRICT, WITHOUT ROWID;
INSERT INTO "fate" VALUES(41,25,1);
CREATE TABLE instrument (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  kind TEXT NOT NULL CHECK (kind <> ''),
  accuracy_mm REAL CHECK (accuracy_mm >= 0),
  resolution_mm REAL CHECK (resolution_mm > 0),
  zero_mm REAL,
  accuracy_g REAL CHECK (accuracy_g >= 0),
  resolution_g REAL CHECK (resolution_g > 0),
  zero_g REAL,
  zeroed INTEGER REFERENCES moment,
  reach_mm REAL CHECK (reach_mm > 0),
  added INTEGER NOT NULL REFERENCES moment,
  retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1)),
  note TEXT
) STRICT;
INSERT INTO "instrument" VALUES(1,'calipers','calipers',NULL,NULL,0.01,NULL,NULL,NULL,4,NULL,4,0,NULL);
INSERT INTO "instrument" VALUES(2,'pocket','scale',NULL,NULL,NULL,0.02,NULL,NULL,NULL,NULL,25,0,NULL);
CREATE TABLE moment (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  uid TEXT NOT NULL UNIQUE DEFAULT (lower(hex(randomblob(8)))), -- the same in every copy
  at TEXT NOT NULL -- UTC, ISO 8601
) STRICT;
INSERT INTO "moment" VALUES(1,'01bd31efb17510b5','2026-11-29T06:14:43Z');
INSERT INTO "moment" VALUES(2,'22ef95841606f8fe','2026-11-29T06:14:43Z');
INSERT INTO "moment" VALUES(3,'293902cf66d73c64','2026-11-29T06:14:43Z');
INSERT INTO "moment" VALUES(4,'0cc67cbe863df41e','2026-11-29T06:14:43Z');
INSERT INTO "moment" VALUES(5,'d32b53c18aa6963d','2026-11-29T06:14:43Z');
INSERT INTO "moment" VALUES(6,'bd5603b85453f617','2026-11-29T06:14:43Z');
INSERT INTO "moment" VALUES(7,'0ce155712316237f','2026-11-29T06:14:43Z');
INSERT INTO "moment" VALUES(8,'cb902b37e1882fc8','2026-11-29T06:14:44Z');
INSERT INTO "moment" VALUES(9,'51379136c6613d02','2026-11-29T06:14:44Z');
INSERT INTO "moment" VALUES(10,'a3af5567a7df00df','2026-11-29T06:14:44Z');
INSERT INTO "moment" VALUES(11,'bfab7593f8a0e78a','2026-11-29T06:14:44Z');
INSERT INTO "moment" VALUES(12,'e05893fef91e51d0','2026-11-29T06:14:44Z');
INSERT INTO "moment" VALUES(13,'f9e534a7d15136a7','2026-11-29T06:14:44Z');
INSERT INTO "moment" VALUES(14,'8761c7dd2ba0c7e2','2026-11-29T06:14:45Z');
INSERT INTO "moment" VALUES(15,'51d5755034e374dd','2026-11-29T06:14:45Z');
INSERT INTO "moment" VALUES(16,'f1867f985acc50aa','2026-11-29T06:14:45Z');
INSERT INTO "moment" VALUES(17,'65a21249f2ac8f99','2026-11-29T06:14:45Z');
INSERT INTO "moment" VALUES(18,'fbbe55e29c59d43e','2026-11-29T06:14:45Z');
INSERT INTO "moment" VALUES(19,'12f46c9a3f48c78c','2026-11-29T06:14:45Z');
INSERT INTO "moment" VALUES(20,'2e8de71ef6dc39fc','2026-11-29T06:14:46Z');
INSERT INTO "moment" VALUES(21,'b7004a87736929d8','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(22,'11481c176b52afe5','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(23,'377560982f291fc9','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(24,'2a0a2d05d20cb43b','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(25,'3efc7734f6f76750','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(26,'eb6955f596bdd611','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(27,'75a7cedef793bfce','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(28,'81d090d959a43a25','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(29,'9926a77f786f6aff','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(30,'872cac3b375fb7e5','2026-11-29T06:14:47Z');
INSERT INTO "moment" VALUES(31,'1576d3b39ea368ff','2026-11-29T06:14:48Z');
INSERT INTO "moment" VALUES(32,'1c8b34c87a4d1534','2026-11-29T06:14:48Z');
INSERT INTO "moment" VALUES(33,'88a2c9cf5e962fc4','2026-11-29T06:14:48Z');
INSERT INTO "moment" VALUES(34,'ede4ea83244f16df','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(35,'012d28113ce3fed7','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(36,'04327dc6e79125fb','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(37,'650b561749ab2bf8','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(38,'4b8fc2b78ac88d57','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(39,'43d557f5d51a093c','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(40,'5982cad5b885e3e1','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(41,'d11c6f4e2308ead8','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(42,'a0795de9c62e88f2','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(43,'f473a76b1315f60b','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(44,'e4c6e69f4ad8db72','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(45,'929d313c1be5c3f6','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(46,'d653885b9bbf624e','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(47,'3583a21e7986a480','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(48,'7a7fdd81dcae7f31','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(49,'d925007f3cf4884d','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(50,'e3efbbfb71d4db3b','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(51,'2dfbab13609ddfc2','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(52,'c6769f92a5c8199d','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(53,'c36bdc5656b594df','2026-11-29T06:14:50Z');
INSERT INTO "moment" VALUES(54,'e43ac72e9eb13a0b','2026-11-29T06:14:51Z');
INSERT INTO "moment" VALUES(55,'2ee7777c71874fcf','2026-11-29T06:14:51Z');
INSERT INTO "moment" VALUES(56,'de3bd8a62c7286a9','2026-11-29T06:14:52Z');
INSERT INTO "moment" VALUES(57,'6cca7685be98478a','2026-11-29T06:14:53Z');
INSERT INTO "moment" VALUES(58,'89169a210adf892c','2026-11-29T06:14:53Z');
INSERT INTO "moment" VALUES(59,'3f675461cfa5593c','2026-11-29T06:14:53Z');
INSERT INTO "moment" VALUES(60,'eb89d93e560a27a5','2026-11-29T06:14:54Z');
CREATE TABLE nozzle (
  id INTEGER PRIMARY KEY,
  printer INTEGER NOT NULL REFERENCES printer,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  bore_mm REAL NOT NULL CHECK (bore_mm > 0),
  material TEXT,
  hot_end TEXT,
  worn INTEGER REFERENCES moment,
  added INTEGER NOT NULL REFERENCES moment,
  retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1)),
  note TEXT
) STRICT;
INSERT INTO "nozzle" VALUES(1,1,'heron-0.5',0.5,NULL,NULL,NULL,1,0,NULL);
INSERT INTO "nozzle" VALUES(2,1,'heron-0.8',0.8,NULL,NULL,NULL,46,0,NULL);
CREATE TABLE outcome (
  trial INTEGER NOT NULL REFERENCES trial,
  kind TEXT NOT NULL CHECK (kind <> ''), -- the name of the value
  value_now REAL,
  value_new REAL,
  u95 REAL,
  value_to_type REAL,
  sure_from REAL,
  sure_to REAL,
  rough INTEGER NOT NULL DEFAULT 0 CHECK (rough IN (0, 1)),
  PRIMARY KEY (trial, kind)
) STRICT, WITHOUT ROWID;
INSERT INTO "outcome" VALUES(1,'diameter',1.75,1.7425,2.68246181129342849136e-02,1.75,NULL,NULL,0);
INSERT INTO "outcome" VALUES(2,'esteps',412.0,4.26501035196687325887e+02,1.36824522076889487642e+00,426.5,NULL,NULL,0);
INSERT INTO "outcome" VALUES(3,'flow',1.0,1.01861867473875222778e+00,5.87702550359066044904e-02,1.0,NULL,NULL,0);
INSERT INTO "outcome" VALUES(5,'limit',NULL,9.9,NULL,9.5,NULL,NULL,0);
INSERT INTO "outcome" VALUES(6,'limit',9.5,6.46530612244898073015e+00,NULL,6.0,NULL,NULL,0);
INSERT INTO "outcome" VALUES(7,'limit',9.5,4.0,NULL,4.0,NULL,NULL,0);
INSERT INTO "outcome" VALUES(8,'limit',9.5,7.65,NULL,7.5,NULL,NULL,0);
INSERT INTO "outcome" VALUES(9,'limit',9.5,21.5,NULL,9.5,NULL,NULL,0);
INSERT INTO "outcome" VALUES(11,'contour',0.0,-3.48333678327477080927e-02,4.20879053754442192247e-02,0.0,NULL,NULL,0);
INSERT INTO "outcome" VALUES(11,'hole',0.0,9.21211964396619759076e-02,3.5111535703888849258e-02,0.09,NULL,NULL,0);
INSERT INTO "outcome" VALUES(11,'scale',0.998886358931898,0.998886358931898,3.79398960573952516092e-03,0.998886358931898,NULL,NULL,0);
INSERT INTO "outcome" VALUES(20,'temperature',210.0,215.0,7.48487363509453818011e+00,215.0,NULL,NULL,0);
INSERT INTO "outcome" VALUES(23,'flow',0.95,9.0934605833122206242e-01,2.88315657966939364875e-02,0.91,9.00689091089339588513e-01,0.926322675279805,0);
INSERT INTO "outcome" VALUES(24,'flow',0.95,8.99879996202911369707e-01,2.0888140096043283922e-02,0.9,8.92865166621597428076e-01,9.15600128222544773493e-01,0);
INSERT INTO "outcome" VALUES(25,'flow',0.95,8.73950567937613942426e-01,4.12300617891788179214e-02,0.87,NULL,NULL,0);
CREATE TABLE preference (
  moment INTEGER NOT NULL REFERENCES moment,
  test TEXT NOT NULL,
  name TEXT NOT NULL,
  spool INTEGER REFERENCES spool, -- whose filament it is for; NULL for all
  value TEXT NOT NULL CHECK (json_valid(value)),
  withdrawn INTEGER REFERENCES moment,
  PRIMARY KEY (moment, test, name)
) STRICT, WITHOUT ROWID;
INSERT INTO "preference" VALUES(39,'flow','sure',NULL,'85.0',NULL);
CREATE TABLE printer (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  decimals INTEGER NOT NULL CHECK (decimals BETWEEN 0 AND 6),
  line_model TEXT CHECK (line_model IN ('rounded', 'rectangular')),
  full_steps REAL CHECK (full_steps > 0),
  microsteps REAL CHECK (microsteps > 0),
  added INTEGER NOT NULL REFERENCES moment,
  retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1)),
  note TEXT,
  bed_x_mm REAL CHECK (bed_x_mm > 0),
  bed_y_mm REAL CHECK (bed_y_mm > 0),
  bed_z_mm REAL CHECK (bed_z_mm > 0), -- how high it prints
  origin TEXT, -- where 0, 0 lies
  accel_mm_s2 REAL CHECK (accel_mm_s2 > 0),
  hottest_c REAL, -- what its nozzle may be heated to
  hottest_bed_c REAL,
  retract_mm REAL CHECK (retract_mm >= 0),
  start_gcode TEXT,
  end_gcode TEXT,
  port TEXT CHECK (port <> ''),
  baud INTEGER CHECK (baud > 0),
  steps_in TEXT, -- where its e-steps are kept
  head_round_mm REAL CHECK (head_round_mm > 0),
  head_above_mm REAL CHECK (head_above_mm > 0)
) STRICT;
INSERT INTO "printer" VALUES(1,'heron',2,'rounded',NULL,NULL,1,0,NULL,220.0,220.0,250.0,NULL,1000.0,260.0,NULL,NULL,'G28
',NULL,'socket://heron.local:23',NULL,'memory',40.0,30.0);
CREATE TABLE reading (
  trial INTEGER NOT NULL REFERENCES trial,
  position INTEGER NOT NULL,
  side TEXT NOT NULL,
  value REAL NOT NULL, -- in the unit of what its kind reads
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
INSERT INTO "reading" VALUES(3,1,'',1.05,'1.05',0,NULL);
INSERT INTO "reading" VALUES(3,2,'',1.06,'1.06',0,NULL);
INSERT INTO "reading" VALUES(3,3,'',1.04,'1.04',0,NULL);
INSERT INTO "reading" VALUES(5,1,'gaps',31.5,'31.5',0,NULL);
INSERT INTO "reading" VALUES(5,2,'matte',25.0,'25',0,NULL);
INSERT INTO "reading" VALUES(6,1,'2 mm³/s',100.0,'100',0,NULL);
INSERT INTO "reading" VALUES(6,2,'4 mm³/s',100.0,'100',0,NULL);
INSERT INTO "reading" VALUES(6,3,'6 mm³/s',99.9,'99.9',0,NULL);
INSERT INTO "reading" VALUES(6,4,'8 mm³/s',95.0,'95',0,NULL);
INSERT INTO "reading" VALUES(7,1,'4 mm³/s',31.2,'31.2',0,NULL);
INSERT INTO "reading" VALUES(7,2,'4 mm³/s',32.0,'32',0,NULL);
INSERT INTO "reading" VALUES(7,3,'4 mm³/s',30.8,'30.8',0,NULL);
INSERT INTO "reading" VALUES(7,4,'11 mm³/s',23.4,'23.4',0,NULL);
INSERT INTO "reading" VALUES(7,5,'11 mm³/s',24.0,'24',0,NULL);
INSERT INTO "reading" VALUES(7,6,'11 mm³/s',23.1,'23.1',0,NULL);
INSERT INTO "reading" VALUES(8,1,'clean markers',4.0,'4',0,NULL);
INSERT INTO "reading" VALUES(9,1,'clean to, mm³/s',21.5,'21.5',0,NULL);
INSERT INTO "reading" VALUES(11,1,'hole 4',3.79,'3.79',0,NULL);
INSERT INTO "reading" VALUES(11,2,'hole 4',3.8,'3.8',0,NULL);
INSERT INTO "reading" VALUES(11,3,'hole 6',5.8,'5.8',0,NULL);
INSERT INTO "reading" VALUES(11,4,'hole 10, goes',9.8,'9.8',0,NULL);
INSERT INTO "reading" VALUES(11,5,'hole 10, does not',9.9,'9.9',0,NULL);
INSERT INTO "reading" VALUES(11,6,'post 4',4.09,'4.09',0,NULL);
INSERT INTO "reading" VALUES(11,7,'post 20 x',20.1,'20.1',0,NULL);
INSERT INTO "reading" VALUES(11,8,'post 20 y',20.0,'20',0,NULL);
INSERT INTO "reading" VALUES(12,1,'press',0.1,'0.1=press',0,NULL);
INSERT INTO "reading" VALUES(12,2,'snug',0.2,'0.2=snug',0,NULL);
INSERT INTO "reading" VALUES(12,3,'slide',0.3,'0.3=slide',0,NULL);
INSERT INTO "reading" VALUES(13,1,'snug',0.3,'0.1/-0.05=snug',0,NULL);
INSERT INTO "reading" VALUES(13,2,'slide',0.4,'0.15/-0.05=slide',0,NULL);
INSERT INTO "reading" VALUES(14,1,'strand',2.953,'2.953',0,NULL);
INSERT INTO "reading" VALUES(14,2,'strand',2.951,'2.951',0,NULL);
INSERT INTO "reading" VALUES(15,1,'print',12.31,'12.31',0,NULL);
INSERT INTO "reading" VALUES(18,1,'3 lines at 30 mm/s',1.83,'1.83',0,NULL);
INSERT INTO "reading" VALUES(18,2,'3 lines at 30 mm/s',1.84,'1.84',0,NULL);
INSERT INTO "reading" VALUES(18,3,'3 lines at 60 mm/s',1.82,'1.82',0,NULL);
INSERT INTO "reading" VALUES(18,4,'3 lines at 60 mm/s',1.83,'1.83',0,NULL);
INSERT INTO "reading" VALUES(20,1,'225 °C, strings, on heron-0.5',2.0,'many',0,NULL);
INSERT INTO "reading" VALUES(20,2,'225 °C, surface, on heron-0.5',2.0,'rough',0,NULL);
INSERT INTO "reading" VALUES(20,3,'225 °C, bridge, on heron-0.5',1.0,'sags',0,NULL);
INSERT INTO "reading" VALUES(20,4,'225 °C, breaks, on heron-0.5',0.0,'holds',0,NULL);
INSERT INTO "reading" VALUES(20,5,'215 °C, strings, on heron-0.5',0.0,'none',0,NULL);
INSERT INTO "reading" VALUES(20,6,'215 °C, surface, on heron-0.5',0.0,'even',0,NULL);
INSERT INTO "reading" VALUES(20,7,'215 °C, bridge, on heron-0.5',0.0,'straight',0,NULL);
INSERT INTO "reading" VALUES(20,8,'205 °C, strings, on heron-0.5',0.0,'none',0,NULL);
INSERT INTO "reading" VALUES(20,9,'205 °C, surface, on heron-0.5',1.0,'dull',0,NULL);
INSERT INTO "reading" VALUES(20,10,'205 °C, bridge, on heron-0.5',0.0,'straight',0,NULL);
INSERT INTO "reading" VALUES(20,11,'205 °C, breaks, on heron-0.5',2.0,'easy',0,NULL);
INSERT INTO "reading" VALUES(22,1,'root',0.46,'0.46',0,NULL);
INSERT INTO "reading" VALUES(22,2,'root',0.45,'0.45',0,NULL);
INSERT INTO "reading" VALUES(22,3,'tip',0.39,'0.39',0,NULL);
INSERT INTO "reading" VALUES(23,1,'3 lines',1.46,'1.46',0,38);
INSERT INTO "reading" VALUES(23,1,'3 lines',1.48,'1.48',1,NULL);
INSERT INTO "reading" VALUES(23,2,'3 lines',1.47,'1.47',0,NULL);
INSERT INTO "reading" VALUES(23,3,'1 line',0.49,'0.49',0,NULL);
INSERT INTO "reading" VALUES(23,4,'1 line',0.5,'0.50',0,NULL);
INSERT INTO "reading" VALUES(24,1,'',1.5,'1.50',0,NULL);
INSERT INTO "reading" VALUES(24,2,'',1.49,'1.49',0,NULL);
INSERT INTO "reading" VALUES(25,1,'',1.66,'1.66',0,NULL);
INSERT INTO "reading" VALUES(25,2,'',1.67,'1.67',0,NULL);
CREATE TABLE shown (
  gcode TEXT PRIMARY KEY -- a start or an end that whoever prints has seen
) STRICT, WITHOUT ROWID;
INSERT INTO "shown" VALUES('G28
');
CREATE TABLE skip (
  printer INTEGER NOT NULL REFERENCES printer,
  nozzle INTEGER NOT NULL REFERENCES nozzle,
  spool INTEGER NOT NULL REFERENCES spool,
  step TEXT NOT NULL,
  stood TEXT NOT NULL, -- how the step stood when it was skipped
  PRIMARY KEY (printer, nozzle, spool, step)
) STRICT, WITHOUT ROWID;
INSERT INTO "skip" VALUES(1,1,1,'esteps','doubtful: the printer carries 420: the board forgot it, or it was changed by hand');
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
  added INTEGER NOT NULL REFERENCES moment,
  retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1)),
  note TEXT,
  temperature_c REAL, -- of the nozzle when it was last on the bench
  bed_c REAL,
  fan_percent REAL CHECK (fan_percent BETWEEN 0 AND 100),
  hottest_c REAL
) STRICT;
INSERT INTO "spool" VALUES(1,'fern-1','PLA','Saltmarsh','green',NULL,1.75,0,0,2,0,NULL,210.0,60.0,80.0,230.0);
INSERT INTO "spool" VALUES(2,'smoke-1','PETG','Saltmarsh',NULL,NULL,1.75,0,0,45,0,NULL,NULL,NULL,NULL,NULL);
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
  through TEXT, -- by which way filament was fed
  instrument TEXT,
  settings TEXT NOT NULL CHECK (json_valid(settings)),
  findings TEXT CHECK (findings IS NULL OR json_valid(findings)),
  verdict TEXT CHECK (verdict IN ('keep', 'correct', 'unclear', 'recheck')),
  planned INTEGER REFERENCES moment,
  measured INTEGER REFERENCES moment,
  withdrawn INTEGER REFERENCES moment,
  draft TEXT, -- that its readings were typed into
  note TEXT,
  CHECK (state <> 'measured' OR (measured IS NOT NULL AND verdict IS NOT NULL)),
  CHECK (state <> 'planned' OR planned IS NOT NULL),
  CHECK (state <> 'withdrawn' OR withdrawn IS NOT NULL)
) STRICT;
INSERT INTO "trial" VALUES(1,'diameter','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "slicer_mm": 1.75, "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "along_m": null}','{"diameter_mm": 1.7425, "diameter_u95_mm": 0.026824618112934285, "slicer_mm": 1.75, "out_of_round_mm": 0.0, "uneven_mm": 0.014999999999999902, "flow_factor": 1.0086268471765654, "flow_factor_u95": 0.03105426685103506, "influences_mm": {"calipers": 0.022632130552233332, "readings": 0.013759941860342292}, "verdict": "keep", "reason": "its cross-section is -0.9 % off the slicer''s, within \u00b11 %", "remedies": [], "notes": ["calipers make most of the \u00b1: once a gauge is read right with them (metier instrument check) it would be 0.018 mm instead of 0.027"]}','keep',9,9,NULL,NULL,'the blue calipers');
INSERT INTO "trial" VALUES(2,'esteps','measured',1,1,1,210.0,NULL,NULL,'nozzle','calipers','{"version": 1, "way": "left", "asked_mm": 150.0, "mark_mm": 180.0, "steps": 412.0, "instrument_mm": {"repeatability_mm": 0.25, "accuracy_mm": 0.03, "resolution_mm": 0.01, "zero_mm": 0.0}, "full_steps": null, "microsteps": null, "asked_each_mm": [], "accept_percent": 0.5}','{"moved_mm": 144.9, "moved_u95_mm": 0.4648493582154681, "asked_mm": 150.0, "steps_now": 412.0, "steps_new": 426.5010351966873, "steps_new_u95": 1.3682452207688949, "steps_below": null, "steps_to_type": 426.5, "change_percent": 3.519668737060022, "mm_per_turn": null, "slope": null, "slope_u95": null, "play_mm": null, "influences": {"runs": 1.1295255738248107, "instrument": 0.09992367607902784}, "verdict": "correct", "reason": "moved 5.10 mm less than the 150 mm asked (-3.40 %), more than \u00b10.5 %", "remedies": [], "notes": []}','correct',10,10,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(3,'flow','measured',1,1,1,210.0,40.0,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.2, "flow_percent": 100.0, "sections": [{"walls": 2, "readings": 0, "flow_percent": null, "speed_mm_s": null}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.5, "line_model": null, "aim_mm": null, "dose": {"area_mm2": 0.10000000074556108, "spacing_mm": 0.5, "source": "file"}, "set_percent": 100.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 75.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 426.5, "diameter_mm": 1.75, "tube": null, "along_m": null, "remarks": ["the dose, walls and layer as in cube.gcode"]}','{"wall_mm": 1.04, "wall_u95_mm": 0.026366124478201195, "target_mm": 1.0429203673205103, "targets_mm": {"rounded": 0.9570796326794896, "rectangular": 1.0429203673205103}, "sections": [{"walls": 2, "wall_mm": 1.04, "wall_u95_mm": 0.026366124478201195, "readings": 3, "target_mm": 1.0429203673205103}], "line_model": null, "flow_sliced_percent": 100.0, "flow_now_percent": 100.0, "flow_new_percent": 101.86186747387522, "flow_new_u95_percent": 5.8770255035906604, "interval_percent": [97.48994019026634, 109.24399119744766], "sure_percent": 51.07557428665723, "sure_from_percent": null, "sure_to_percent": null, "trials_pooled": 1, "texture_mm": null, "response": null, "response_u95": null, "flow_plain_percent": 96.15384615384615, "flow_under_percent": {"rounded": null, "rectangular": null}, "flow_to_type_percent": 100.0, "influences_percent": {"calipers": 3.1310315299033107, "texture": 2.711552844946323, "prints": 2.7036341146301055, "readings": 2.165595861220083}, "rough": false, "delivered_share": 0.9817216440258889, "delivered_share_u95": 0.05518235271758065, "forecasts": [], "verdict": "unclear", "reason": "100 % stands, 51 % sure", "remedies": ["one cube of three lines at 107 %"], "notes": ["the dose, walls and layer as in cube.gcode", "calipers make most of the \u00b1: once a gauge is read right with them (metier instrument check) it would be 5.2 % instead of 5.9"]}','unclear',12,12,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(4,'volumetric','planned',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "ramp", "ramp": {"from_mm3_s": 4.5, "step_mm3_s": 1.0, "every_mm": 2.0, "base_mm": 0.0, "to_mm3_s": 18.5}, "marker_every_mm": null, "within_mm": 0.5, "reckoning": {"margin_percent": 10.0, "round_to_mm3_s": 0.5}, "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": null, "flow_percent": 100.0, "widths_mm": [], "layers_mm": []}, "walls": 1, "on": {"bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": null}, "set_speeds": [], "reach": {"outline": {"shape": "round", "size_mm": 45.0}, "accel_mm_s2": 1000.0, "cornering_mm_s": 8.0}, "own_lines": false}',NULL,NULL,13,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(5,'volumetric','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "ramp", "ramp": {"from_mm3_s": 4.0, "step_mm3_s": 0.5, "every_mm": 2.0, "base_mm": 0.0, "to_mm3_s": 21.5}, "marker_every_mm": null, "within_mm": 0.5, "reckoning": {"margin_percent": 10.0, "round_to_mm3_s": 0.5}, "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": null, "flow_percent": 100.0, "widths_mm": [], "layers_mm": []}, "walls": null, "on": {"bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": null}, "set_speeds": [], "reach": null, "own_lines": false, "remarks": ["an acceleration of 1000 mm/s\u00b2 is taken: --accel says otherwise", "acceleration holds the flow at 21.3 mm\u00b3/s where the file asks for up to 24: nothing above that is tested; a larger outline or thicker layers"]}','{"last_good_mm3_s": 11.0, "limit_mm3_s": 9.5, "onset_mm3_s": 11.75, "onset_u95_mm3_s": 0.7465762809876385, "influences_mm3_s": {"ramps": 0.6909, "step": 0.2829016319029167}, "limit_unrounded_mm3_s": 9.9, "limit_below_mm3_s": null, "limit_now_mm3_s": null, "limit_to_type_mm3_s": 9.5, "bound": null, "even_looks_mm3_s": 9.5, "held_mm3_s": null, "at_speed": null, "spread_mm3_s": 0.0, "speed_mm_s": 95.0, "capped": [], "next_ramp": null, "verdict": "correct", "reason": "no limit was in force yet", "remedies": [], "notes": ["an acceleration of 1000 mm/s\u00b2 is taken: --accel says otherwise", "acceleration holds the flow at 21.3 mm\u00b3/s where the file asks for up to 24: nothing above that is tested; a larger outline or thicker layers"]}','correct',14,14,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(6,'volumetric','measured',1,1,1,210.0,NULL,NULL,'nozzle','calipers','{"version": 1, "way": "feed", "on": {"bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": 9.5}, "reckoning": {"margin_percent": 10.0, "round_to_mm3_s": 0.5}, "instrument_mm": {"repeatability_mm": 0.25, "accuracy_mm": 0.03, "resolution_mm": 0.01, "zero_mm": 0.0}, "fed": [{"flow_mm3_s": 2.0, "asked_mm": 100.0}, {"flow_mm3_s": 4.0, "asked_mm": 100.0}, {"flow_mm3_s": 6.0, "asked_mm": 100.0}, {"flow_mm3_s": 8.0, "asked_mm": 100.0}], "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": null, "flow_percent": 100.0, "widths_mm": [], "layers_mm": []}}','{"last_good_mm3_s": 7.183673469387756, "limit_mm3_s": 6.0, "onset_mm3_s": 7.591836734693878, "onset_u95_mm3_s": 0.5775996306554673, "influences_mm3_s": {"flows apart": 0.46188021535170015, "lengths": 0.3468256045911248}, "limit_unrounded_mm3_s": 6.465306122448981, "limit_now_mm3_s": 9.5, "limit_to_type_mm3_s": 6.0, "bound": null, "even_looks_mm3_s": null, "speed_mm_s": 60.0, "short_alike": 0.0, "points": [{"flow_mm3_s": 2.0, "shortfall": 0.0, "u": 0.003539774004085572, "u95": 0.009100758964504007, "runs": 1}, {"flow_mm3_s": 4.0, "shortfall": 0.0, "u": 0.003539774004085572, "u95": 0.009100758964504007, "runs": 1}, {"flow_mm3_s": 6.0, "shortfall": 0.0009999999999998899, "u": 0.003539774004085572, "u95": 0.009100758964504007, "runs": 1}, {"flow_mm3_s": 8.0, "shortfall": 0.050000000000000044, "u": 0.003539774004085572, "u95": 0.009100758964504007, "runs": 1}], "verdict": "correct", "reason": "the limit in force, 9.5, is above the last good flow of 7.184 mm\u00b3/s", "remedies": [], "notes": []}','correct',16,16,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(7,'volumetric','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "strength", "on": {"bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": 9.5}, "round_to_mm3_s": 0.5, "coupon_diameter_mm": null, "coupon_length_mm": null, "accel_mm_s2": null, "layer_path_mm": null, "layer_time_s": null, "area_mm2": null, "rods": null}','{"last_good_mm3_s": 4.0, "limit_mm3_s": 4.0, "limit_unrounded_mm3_s": 4.0, "limit_now_mm3_s": 9.5, "limit_to_type_mm3_s": 4.0, "bound": null, "even_looks_mm3_s": null, "groups": [{"flow_mm3_s": 4.0, "n": 3, "mean_mpa": 31.333333333333332, "scatter_mpa": 0.6110100926607784, "u95_mpa": 1.5178332134387034, "against_mm3_s": [], "ratio": 1.0, "t": null, "verdict": "slowest", "more_coupons": null}, {"flow_mm3_s": 11.0, "n": 3, "mean_mpa": 23.5, "scatter_mpa": 0.45825756949558355, "u95_mpa": 1.1383749100790268, "against_mm3_s": [4.0], "ratio": 0.75, "t": -14.571071525420201, "verdict": "lost", "more_coupons": null}], "speed_mm_s": null, "verdict": "correct", "reason": "strength is lost at 11 mm\u00b3/s; 4 is the fastest below that", "remedies": [], "notes": ["what helps where strength is lost: slower, hotter, less cooling, or a hot end that melts more"]}','correct',17,17,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(8,'volumetric','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "ramp", "ramp": {"from_mm3_s": 4.0, "step_mm3_s": 0.5, "every_mm": 2.0, "base_mm": 0.0, "to_mm3_s": 21.5}, "marker_every_mm": 5.0, "within_mm": 0.5, "reckoning": {"margin_percent": 10.0, "round_to_mm3_s": 0.5}, "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": null, "flow_percent": 100.0, "widths_mm": [], "layers_mm": []}, "walls": null, "on": {"bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": 9.5}, "set_speeds": [], "reach": null, "own_lines": false}','{"last_good_mm3_s": 8.5, "limit_mm3_s": 7.5, "onset_mm3_s": null, "onset_u95_mm3_s": null, "influences_mm3_s": null, "limit_unrounded_mm3_s": 7.65, "limit_below_mm3_s": null, "limit_now_mm3_s": 9.5, "limit_to_type_mm3_s": 7.5, "bound": null, "even_looks_mm3_s": null, "held_mm3_s": null, "at_speed": null, "spread_mm3_s": 0.0, "speed_mm_s": 75.0, "capped": [], "next_ramp": null, "verdict": "correct", "reason": "the limit in force, 9.5, is above the last good flow of 8.5 mm\u00b3/s", "remedies": [], "notes": []}','correct',18,18,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(9,'volumetric','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "ramp", "ramp": {"from_mm3_s": 4.0, "step_mm3_s": 0.5, "every_mm": 2.0, "base_mm": 0.0, "to_mm3_s": 21.5}, "marker_every_mm": null, "within_mm": 0.5, "reckoning": {"margin_percent": 10.0, "round_to_mm3_s": 0.5}, "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": null, "flow_percent": 100.0, "widths_mm": [], "layers_mm": []}, "walls": null, "on": {"bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": 9.5}, "set_speeds": [], "reach": null, "own_lines": false}','{"last_good_mm3_s": 21.5, "limit_mm3_s": 21.5, "onset_mm3_s": null, "onset_u95_mm3_s": null, "influences_mm3_s": null, "limit_unrounded_mm3_s": 21.5, "limit_below_mm3_s": null, "limit_now_mm3_s": 9.5, "limit_to_type_mm3_s": 9.5, "bound": "lower", "even_looks_mm3_s": null, "held_mm3_s": null, "at_speed": null, "spread_mm3_s": 0.0, "speed_mm_s": 215.0, "capped": [], "next_ramp": {"from_mm3_s": 17.0, "to_mm3_s": 34.5}, "verdict": "unclear", "reason": "no gaps to 21.5 mm\u00b3/s: the limit lies there or higher", "remedies": ["a ramp from 17 to 34.5 mm\u00b3/s"], "notes": ["the limit in force is 9.5 mm\u00b3/s: unless it was lifted for this ramp, the slicer held the flow there and nothing above it was tested"]}','unclear',19,19,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(10,'xy','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "hole_set_mm": 0.0, "contour_set_mm": 0.0, "free_scale": null, "instrument_mm": {"repeatability_mm": 0.03, "accuracy_mm": 0.03, "resolution_mm": 0.01, "zero_mm": 0.01}, "features": [{"kind": "hole", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 16.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 30.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 16.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 30.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}], "for_mm": null, "part_c": null, "material": null, "hole_opened_mm": 0.0, "contour_opened_mm": 0.0, "remarks": ["no hole compensation is known to be set: 0 is taken (--hole-set)", "no contour compensation is known to be set: 0 is taken (--contour-set)"]}',NULL,NULL,20,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(11,'xy','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "hole_set_mm": 0.0, "contour_set_mm": 0.0, "free_scale": null, "instrument_mm": {"repeatability_mm": 0.03, "accuracy_mm": 0.03, "resolution_mm": 0.01, "zero_mm": 0.01}, "features": [{"kind": "hole", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 2, "go_only": false}, {"kind": "hole", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1, "go_only": false}, {"kind": "hole", "nominal_mm": 1.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": true, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": true, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1, "go_only": false}, {"kind": "post", "nominal_mm": 20.0, "axis": "x", "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1, "go_only": false}, {"kind": "post", "nominal_mm": 20.0, "axis": "y", "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 1, "go_only": false}], "for_mm": null, "part_c": null, "material": null, "hole_opened_mm": 0.0, "contour_opened_mm": 0.0, "remarks": ["no hole compensation is known to be set: 0 is taken (--hole-set)", "no contour compensation is known to be set: 0 is taken (--contour-set)"]}','{"hole_per_side_mm": 0.09212119643966198, "hole_u95_mm": 0.03511153570388885, "hole_u_fit_mm": 0.009656658634960007, "hole_influences_mm": {"plates": 0.02352, "readings": 0.018927050924521613, "calipers": 0.016974097914174997}, "hole_on_diameter_mm": 0.18424239287932395, "hole_set_mm": 0.0, "hole_new_mm": 0.09212119643966198, "hole_opened_mm": 0.0, "hole_to_type_mm": 0.09, "contour_per_side_mm": -0.03483336783274771, "contour_u95_mm": 0.04208790537544422, "contour_u_fit_mm": 0.014448039418960541, "contour_influences_mm": {"readings": 0.02831815726116266, "plates": 0.02352, "calipers": 0.016974097914174997}, "contour_on_diameter_mm": -0.06966673566549542, "contour_set_mm": 0.0, "contour_new_mm": -0.03483336783274771, "contour_opened_mm": 0.0, "contour_to_type_mm": 0.0, "kappa_mm2": 0.12249016766715326, "scale": 0.998886358931898, "scale_u95": 0.003793989605739525, "scale_freed": false, "free_scale": 0.9982678686413393, "free_scale_u95": 0.005130242856088985, "scatter_mm": 0.027533460776739304, "hole_with_all_mm": 0.09212119643966198, "contour_with_all_mm": -0.03483336783274771, "features": [{"name": "hole 4", "kind": "hole", "nominal_mm": 4.0, "measured_mm": 3.785, "off_fit_mm": -0.0072490167667109695, "off_fit_u95_mm": 0.06918, "left_out": false, "out_of_round_mm": 0.009999999999999787, "after_mm": 3.9650000000000003}, {"name": "hole 6", "kind": "hole", "nominal_mm": 6.0, "measured_mm": 5.79, "off_fit_mm": -0.020436762575031686, "off_fit_u95_mm": 0.06918, "left_out": false, "out_of_round_mm": null, "after_mm": 5.97}, {"name": "hole 10", "kind": "hole", "nominal_mm": 10.0, "measured_mm": 9.850000000000001, "off_fit_mm": 0.02768577934175731, "off_fit_u95_mm": 0.06918, "left_out": false, "out_of_round_mm": null, "after_mm": 10.030000000000001}, {"name": "post 4", "kind": "post", "nominal_mm": 4.0, "measured_mm": 4.08, "off_fit_mm": 0.014787828606912967, "off_fit_u95_mm": 0.06918, "left_out": false, "out_of_round_mm": null, "after_mm": 4.08}, {"name": "post 20 x", "kind": "post", "nominal_mm": 20.0, "measured_mm": 20.09, "off_fit_mm": -0.007393914303456484, "off_fit_u95_mm": 0.06918, "left_out": false, "out_of_round_mm": null, "after_mm": 20.09}, {"name": "post 20 y", "kind": "post", "nominal_mm": 20.0, "measured_mm": 19.99, "off_fit_mm": -0.007393914303456484, "off_fit_u95_mm": 0.06918, "left_out": false, "out_of_round_mm": null, "after_mm": 19.99}], "axes": {"x_percent": 0.13863589318980352, "y_percent": -0.36136410681019693, "difference_percent": 0.5000000000000004, "difference_u95_percent": 0.4489573727791083, "differ": true}, "lips_mm": {}, "smallest_mm": {"hole": 4.0, "post": 4.0}, "not_printed": ["hole 1"], "verdict": "correct", "reason": "enlarge holes by 0.09 mm per side \u00b1 0.04", "remedies": [], "notes": ["no hole compensation is known to be set: 0 is taken (--hole-set)", "no contour compensation is known to be set: 0 is taken (--contour-set)", "x comes out +0.14 %, y -0.36 %: that is a matter of the axes (belt, steps), not of compensation", "hole 1 did not print; the smallest that did is 4 mm"]}','correct',21,21,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(12,'fit','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "pair", "want": "slide", "now_mm": 0.1, "hole_set_mm": 0.09, "contour_set_mm": 0.0, "hole_share": 0.7256233516897835, "thread": null, "drawn": "mid", "pairs": null}','{"want": "slide", "begins_mm": 0.2501312721305682, "begins_u95_mm": 0.07974999999999997, "begins_interval_mm": [0.1705, 0.32999999999999996], "tighter_mm": 0.2, "fits_mm": 0.3, "ends_mm": null, "contradictory": [], "now_mm": 0.1, "open_mm": 0.15013127213056818, "open_surely_mm": 0.22999999999999995, "hole_change_mm": 0.05, "contour_change_mm": -0.03, "hole_to_type_mm": 0.14, "contour_to_type_mm": -0.03, "thread": null, "verdict": "correct", "reason": "0.1 mm is 0.15 mm too little on the diameter for slide", "remedies": [], "notes": []}','correct',23,23,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(13,'fit','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "tried", "want": "slide", "now_mm": 0.18, "hole_set_mm": 0.09, "contour_set_mm": 0.0, "hole_share": 0.7256233516897835, "thread": null, "drawn": "mid", "pairs": null}','{"want": "slide", "begins_mm": 0.34999999999986464, "begins_u95_mm": 0.08000000000000002, "begins_interval_mm": [0.27, 0.43000000000000005], "tighter_mm": 0.3, "fits_mm": 0.4, "ends_mm": null, "contradictory": [], "now_mm": 0.18, "open_mm": 0.16999999999986465, "open_surely_mm": 0.25000000000000006, "hole_change_mm": 0.06, "contour_change_mm": -0.03, "hole_to_type_mm": 0.15, "contour_to_type_mm": -0.03, "thread": null, "verdict": "correct", "reason": "0.18 mm is 0.17 mm too little on the diameter for slide", "remedies": [], "notes": []}','correct',24,24,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(14,'weigh','measured',1,1,1,210.0,NULL,NULL,NULL,'pocket','{"version": 1, "scale_g": {"repeatability_g": 0.004, "accuracy_g": 0.02, "resolution_g": 0.01, "zero_g": 0.0}, "length_mm": 1000.0, "asked_mm": null, "asked_from": "given", "flow_percent": 100.0, "esteps": 426.5, "diameters": {"slicer_mm": 1.75, "found_mm": 1.7425, "u95_mm": 0.026824618112934285}, "of_trial": null}','{"strand_g_per_m": 2.952, "strand_u95_g_per_m": 0.02356662095879396, "strand_trial": null, "part_g": null, "part_u95_g": null, "asked_mm": null, "delivered_mm": null, "delivered_u95_mm": null, "delivered_percent": null, "delivered_u95_percent": null, "flow_now_percent": 100.0, "flow_new_percent": null, "flow_new_u95_percent": null, "esteps_new": null, "esteps_new_u95": null, "agree": null, "walls_more_percent": null, "walls_more_u95_percent": null, "texture_mm": null, "texture_u95_mm": null, "grown_ratio": null, "grown_ratio_u95": null, "verdict": "keep", "reason": "what a metre of this roll weighs is known now: weigh a print next", "remedies": [], "notes": []}','keep',26,26,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(15,'weigh','measured',1,1,1,210.0,NULL,NULL,NULL,'pocket','{"version": 1, "scale_g": {"repeatability_g": 0.004, "accuracy_g": 0.02, "resolution_g": 0.01, "zero_g": 0.0}, "length_mm": null, "asked_mm": 3760.0, "asked_from": "given", "flow_percent": 100.0, "esteps": 426.5, "diameters": {"slicer_mm": 1.75, "found_mm": 1.7425, "u95_mm": 0.026824618112934285}, "of_trial": null}','{"strand_g_per_m": 2.952, "strand_u95_g_per_m": 0.02356662095879396, "strand_trial": 14, "part_g": 12.31, "part_u95_g": 0.024012696641568604, "asked_mm": 3760.0, "delivered_mm": 4170.054200542006, "delivered_u95_mm": 34.26516060187341, "delivered_percent": 110.9056968229257, "delivered_u95_percent": 0.9113074628157823, "flow_now_percent": 100.0, "flow_new_percent": 90.94454803227642, "flow_new_u95_percent": 2.8980645015389053, "esteps_new": 384.5609488220958, "esteps_new_u95": 3.159921199797652, "agree": false, "walls_more_percent": -11.784949205265626, "walls_more_u95_percent": 6.536696848847054, "texture_mm": -0.10249151159702974, "texture_u95_mm": 0.04306628100670458, "grown_ratio": null, "grown_ratio_u95": null, "verdict": "correct", "reason": "100 % brings +10.0 \u00b1 3.5 % of what it should", "remedies": [], "notes": ["walls measure -0.102 \u00b1 0.043 mm beyond the plastic in them, and flow reckons with 0.008: that is texture, squeezing or jaws, which walls alone take for flow", "walls and scale disagree: it says more. Calipers are blind to texture and to squeezing; a scale to strings, blobs and to a purge that is on one side of the sum alone"]}','correct',27,27,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(16,'weigh','planned',1,1,1,210.0,NULL,NULL,NULL,'scale','{"version": 1, "scale_g": {"repeatability_g": 0.004, "accuracy_g": 0.01, "resolution_g": 0.01, "zero_g": 0.0}, "length_mm": null, "asked_mm": 3760.0, "asked_from": "given", "flow_percent": 100.0, "esteps": 426.5, "diameters": {"slicer_mm": 1.75, "found_mm": 1.7425, "u95_mm": 0.026824618112934285}, "of_trial": null}',NULL,NULL,28,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(17,'map','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.24, "flow_percent": 96.0, "sections": [{"walls": 3, "readings": 0, "flow_percent": null, "speed_mm_s": 20.0}, {"walls": 3, "readings": 0, "flow_percent": null, "speed_mm_s": 40.0}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.6, "line_model": "rounded", "aim_mm": null, "dose": null, "set_percent": 100.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 75.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 426.5, "diameter_mm": 1.75, "tube": {"side_mm": 30.0, "section_mm": 8.0}, "along_m": null}',NULL,NULL,30,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(18,'map','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.24, "flow_percent": 96.0, "sections": [{"walls": 3, "readings": 2, "flow_percent": null, "speed_mm_s": 30.0}, {"walls": 3, "readings": 2, "flow_percent": null, "speed_mm_s": 60.0}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.6, "line_model": "rounded", "aim_mm": null, "dose": null, "set_percent": 100.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 75.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 426.5, "diameter_mm": 1.75, "tube": {"side_mm": 30.0, "section_mm": 8.0}, "along_m": null}','{"flows": [{"speed_mm_s": 30.0, "temperature_c": 210.0, "flow_percent": 89.43981837191441, "u95_percent": 2.5687105204970515, "to_type_percent": 89.0}, {"speed_mm_s": 60.0, "temperature_c": 210.0, "flow_percent": 89.9192299914202, "u95_percent": 2.530322956311504, "to_type_percent": 90.0}], "sure_percent": [3.815092081138616e-06, 1.3553081273931511e-05], "one_flow_percent": 100.0, "temperatures": [{"speed_mm_s": 30.0, "temperature_c": null, "u95_c": null}, {"speed_mm_s": 60.0, "temperature_c": null, "u95_c": null}], "level_temperature_c": null, "level_temperature_u95_c": null, "effects": [{"name": "speed", "low": 30.0, "high": 60.0, "share_change_percent": -0.6330447282362045, "u95_percent": 1.7548861995962204, "matters": false}], "narrows": {"speed_mm_s": 30.0, "temperature_c": 210.0}, "points": [{"speed_mm_s": 30.0, "temperature_c": 210.0, "flow_percent": 89.43981837191446}, {"speed_mm_s": 60.0, "temperature_c": 210.0, "flow_percent": 89.9192299914202}], "verdict": "correct", "reason": "speeds need flows of their own: 100 % at 30 mm/s: sure 0 %, +11.8 % off", "remedies": [], "notes": []}','correct',31,32,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(19,'heat','planned',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "temperatures_c": [225.0, 220.0, 215.0, 210.0, 205.0], "set_c": 210.0, "nozzles": ["heron-0.5"], "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": "rounded", "flow_percent": 100.0, "widths_mm": [], "layers_mm": []}, "speed_mm_s": 40.0, "step_mm": 8.0}',NULL,NULL,33,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(20,'heat','measured',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "temperatures_c": [225.0, 215.0, 205.0], "set_c": 210.0, "nozzles": ["heron-0.5"], "line": null, "speed_mm_s": null, "step_mm": null}','{"low_c": 210.0, "low_u95_c": 7.484873635094538, "high_c": 220.0, "high_u95_c": 7.484873635094538, "temperature_c": 215.0, "temperature_u95_c": 7.484873635094538, "temperature_now_c": 210.0, "temperature_to_type_c": 215.0, "steps": [{"temperature_c": 205.0, "strings": "none", "surface": "dull", "bridge": "straight", "breaks": "easy", "serves": false}, {"temperature_c": 215.0, "strings": "none", "surface": "even", "bridge": "straight", "breaks": null, "serves": true}, {"temperature_c": 225.0, "strings": "many", "surface": "rough", "bridge": "sags", "breaks": "holds", "serves": false}], "verdict": "correct", "reason": "210 to 220 \u00b0C serve; 215 is liked better than 210", "remedies": [], "notes": []}','correct',34,34,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(21,'proof','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "part": "globe", "places": [{"name": "place", "expected_mm": 0.45, "readings": 0}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "layer_mm": null, "grams": null, "file_grams": null, "minutes": null, "file_minutes": null, "estimate_from": "given", "says": null, "photo": null, "flow_percent": 100.0, "expected_from": "as given"}',NULL,NULL,35,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(22,'proof','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "part": "globe", "places": [{"name": "root", "expected_mm": 0.45, "readings": 2}, {"name": "tip", "expected_mm": 0.45, "readings": 1}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "layer_mm": null, "grams": 12.3, "file_grams": 12.5, "minutes": 72.0, "file_minutes": 60.0, "estimate_from": "given", "says": "no seam", "photo": null, "flow_percent": 100.0, "expected_from": "as given"}','{"part": "globe", "mean_mm": 0.4125, "mean_u95_mm": 0.026329041337993637, "expected_mm": 0.45, "off_percent": -10.111111111111114, "off_u95_percent": 7.237448716445763, "uneven_mm": 0.044771642811047264, "places": [{"name": "root", "wall_mm": 0.445, "expected_mm": 0.45, "off_percent": -2.8888888888888897, "off_u95_percent": 9.153079144642984}, {"name": "tip", "wall_mm": 0.38, "expected_mm": 0.45, "off_percent": -17.333333333333336, "off_u95_percent": 10.569065416147154}], "thinnest": "tip", "thin": ["tip"], "grams_off_percent": -1.5999999999999903, "time_factor": 1.2, "estimate_from": "given", "verdict": "recheck", "reason": "tip: -17 %, thinner than the rest by more than readings explain", "remedies": ["what differs there: speed, layer time, a seam, a bridge or an overhang", "whether the nozzle was going faster there than it melts (metier sliced cost)"], "notes": ["the layer height is not known: rounded sides count as plastic (--layer)"]}','recheck',36,36,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(23,'flow','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.2, "flow_percent": 95.0, "sections": [{"walls": 3, "readings": 2, "flow_percent": null, "speed_mm_s": null}, {"walls": 1, "readings": 2, "flow_percent": null, "speed_mm_s": null}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.5, "line_model": "rounded", "aim_mm": null, "dose": null, "set_percent": 95.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 75.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 426.5, "diameter_mm": 1.75, "tube": null, "along_m": null, "remarks": ["the logbook had flow 100 % (1.00x) in force; you gave 95 % (0.95x), which is used and now counts as in force"]}','{"wall_mm": 1.465, "wall_u95_mm": 0.02814909905307806, "target_mm": 1.4141592653589792, "targets_mm": {"rounded": 1.4141592653589792, "rectangular": 1.5429203673205103}, "sections": [{"walls": 3, "wall_mm": 1.465, "wall_u95_mm": 0.02814909905307806, "readings": 2, "target_mm": 1.4141592653589792}, {"walls": 1, "wall_mm": 0.485, "wall_u95_mm": 0.02814909905307806, "readings": 2, "target_mm": 0.5}], "line_model": "rounded", "flow_sliced_percent": 95.0, "flow_now_percent": 95.0, "flow_new_percent": 90.9346058331222, "flow_new_u95_percent": 2.883156579669394, "interval_percent": [88.3132740715517, 94.0795872308905], "sure_percent": 17.18985729035897, "sure_from_percent": 90.06890910893397, "sure_to_percent": 92.6322675279805, "trials_pooled": 1, "texture_mm": -0.01807008927487451, "response": null, "response_u95": null, "flow_plain_percent": 97.26962457337882, "flow_under_percent": {"rounded": 90.9346058331222, "rectangular": 107.59593057519969}, "flow_to_type_percent": 91.0, "influences_percent": {"prints": 1.7910618630942103, "readings": 1.6213804086184707, "calipers": 0.9122736099445121, "texture": 0.7900521214140838}, "rough": false, "delivered_share": 1.0996913560445192, "delivered_share_u95": 0.03470138748307372, "forecasts": [], "verdict": "correct", "reason": "95 % is 4.5 % too much (sure: 17 %)", "remedies": [], "notes": ["the logbook had flow 100 % (1.00x) in force; you gave 95 % (0.95x), which is used and now counts as in force"]}','correct',37,37,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(24,'flow','measured',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.2, "flow_percent": 95.0, "sections": [{"walls": 3, "readings": 0, "flow_percent": null, "speed_mm_s": null}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.5, "line_model": "rounded", "aim_mm": null, "dose": null, "set_percent": 95.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 85.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 426.5, "diameter_mm": 1.75, "tube": null, "along_m": null, "remarks": ["sure 85, kept for every roll from now on"]}','{"wall_mm": 1.485, "wall_u95_mm": 0.02814909905307806, "target_mm": 1.4141592653589792, "targets_mm": {"rounded": 1.4141592653589792, "rectangular": 1.5429203673205103}, "sections": [{"walls": 3, "wall_mm": 1.485, "wall_u95_mm": 0.02814909905307806, "readings": 2, "target_mm": 1.4141592653589792}], "line_model": "rounded", "flow_sliced_percent": 95.0, "flow_now_percent": 95.0, "flow_new_percent": 89.98799962029113, "flow_new_u95_percent": 2.088814009604328, "interval_percent": [87.94766471281513, 92.1252927320238], "sure_percent": 1.9878947895118917, "sure_from_percent": 89.28651666215974, "sure_to_percent": 91.56001282225448, "trials_pooled": 2, "texture_mm": -0.019696958760521736, "response": null, "response_u95": null, "flow_plain_percent": 95.95959595959594, "flow_under_percent": {"rounded": 89.98799962029113, "rectangular": 108.65573716973825}, "flow_to_type_percent": 90.0, "influences_percent": {"readings": 1.3120670661700178, "prints": 1.2391480084307587, "calipers": 0.8045835762780217, "texture": 0.6967898165245014}, "rough": false, "delivered_share": 1.1112592837039938, "delivered_share_u95": 0.02578081121664144, "forecasts": [{"walls": 3, "wall_mm": 1.4568138373459474, "wall_u95_mm": 0.048535910222496724, "came_so": true}], "verdict": "correct", "reason": "95 % is 5.6 % too much (sure: 2 %)", "remedies": [], "notes": ["sure 85, kept for every roll from now on"]}','correct',39,39,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(25,'flow','withdrawn',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.2, "flow_percent": 95.0, "sections": [{"walls": 3, "readings": 0, "flow_percent": null, "speed_mm_s": null}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.5, "line_model": "rounded", "aim_mm": null, "dose": null, "set_percent": 95.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 85.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 426.5, "diameter_mm": 1.75, "tube": null, "along_m": null, "remarks": ["sure 85, as kept"]}','{"wall_mm": 1.655, "wall_u95_mm": 0.02814909905307806, "target_mm": 1.4141592653589792, "targets_mm": {"rounded": 1.4141592653589792, "rectangular": 1.5429203673205103}, "sections": [{"walls": 3, "wall_mm": 1.655, "wall_u95_mm": 0.02814909905307806, "readings": 2, "target_mm": 1.4141592653589792}], "line_model": "rounded", "flow_sliced_percent": 95.0, "flow_now_percent": 95.0, "flow_new_percent": 87.3950567937614, "flow_new_u95_percent": 4.123006178917882, "interval_percent": [83.52441814110477, 91.77043049894054], "sure_percent": 1.3329918508890992, "sure_from_percent": null, "sure_to_percent": null, "trials_pooled": 3, "texture_mm": -0.019683075560770483, "response": null, "response_u95": null, "flow_plain_percent": 86.10271903323262, "flow_under_percent": {"rounded": 87.3950567937614, "rectangular": 104.95039626290075}, "flow_to_type_percent": 87.0, "influences_percent": {"prints": 3.8216107506231034, "readings": 1.0350113674250023, "calipers": 0.8344209607749372, "texture": 0.7226297494813141}, "rough": false, "delivered_share": 1.1442294755409828, "delivered_share_u95": 0.05378953101976458, "forecasts": [{"walls": 3, "wall_mm": 1.4270043893143798, "wall_u95_mm": 0.15531441418178143, "came_so": false}], "verdict": "correct", "reason": "95 % is 8.7 % too much (sure: 1 %)", "remedies": [], "notes": ["sure 85, as kept"]}','correct',40,40,41,NULL,NULL);
INSERT INTO "trial" VALUES(26,'diameter','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "slicer_mm": 1.75, "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "along_m": null}',NULL,NULL,51,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(27,'esteps','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "way": "left", "asked_mm": 150.0, "mark_mm": 180.0, "steps": 420.0, "instrument_mm": null, "full_steps": null, "microsteps": null, "asked_each_mm": [], "accept_percent": 0.5, "remarks": ["e-steps 426.50 steps/mm is doubtful since 29 Nov but not said to be typed in, so 420.00 steps/mm is taken: if it was done at 426.50 steps/mm, metier undo and give --steps"]}',NULL,NULL,52,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(28,'flow','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.2, "flow_percent": 95.0, "sections": [{"walls": 3, "readings": 0, "flow_percent": null, "speed_mm_s": null}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.5, "line_model": "rounded", "aim_mm": null, "dose": null, "set_percent": 95.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 85.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 420.0, "diameter_mm": 1.75, "tube": null, "along_m": null, "remarks": ["sure 85, as kept"]}',NULL,NULL,53,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(29,'volumetric','planned',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "ramp", "ramp": {"from_mm3_s": 6.5, "step_mm3_s": 0.5, "every_mm": 2.0, "base_mm": 0.0, "to_mm3_s": 13.5}, "marker_every_mm": null, "within_mm": 0.5, "reckoning": {"margin_percent": 10.0, "round_to_mm3_s": 0.5}, "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": "rounded", "flow_percent": 95.0, "widths_mm": [], "layers_mm": []}, "walls": 1, "on": {"bore_mm": 0.5, "hot_end": null, "limit_now_mm3_s": 9.5}, "set_speeds": [], "reach": {"outline": {"shape": "round", "size_mm": 25.0}, "accel_mm_s2": 1000.0, "cornering_mm_s": 8.0}, "own_lines": false, "remarks": ["speeds are reckoned at flow 95 % (0.95x); flow is doubtful: mainboard changed since"]}',NULL,NULL,54,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(30,'xy','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "hole_set_mm": 0.09, "contour_set_mm": 0.0, "free_scale": null, "instrument_mm": {"repeatability_mm": 0.03, "accuracy_mm": 0.03, "resolution_mm": 0.01, "zero_mm": 0.01}, "features": [{"kind": "hole", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 16.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "hole", "nominal_mm": 30.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 4.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 6.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 10.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 16.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}, {"kind": "post", "nominal_mm": 30.0, "axis": null, "foot": false, "facets": null, "jaw_land_mm": null, "missing": false, "pins": false, "readings": 0, "go_only": false}], "for_mm": null, "part_c": null, "material": null, "hole_opened_mm": 0.0, "contour_opened_mm": 0.0, "remarks": ["printed with hole compensation +0.09, as the logbook has it", "printed with contour compensation +0.00, as the logbook has it"]}',NULL,NULL,55,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(31,'fit','planned',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "way": "pair", "want": "slide", "now_mm": null, "hole_set_mm": 0.09, "contour_set_mm": 0.0, "hole_share": 0.7256233516897835, "thread": null, "drawn": "mid", "pairs": {"pin_mm": 8.0, "clearances_mm": [0.05, 0.1, 0.15, 0.2, 0.3, 0.4]}}',NULL,NULL,56,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(32,'weigh','planned',1,1,1,210.0,NULL,NULL,NULL,'scale','{"version": 1, "scale_g": {"repeatability_g": 0.004, "accuracy_g": 0.01, "resolution_g": 0.01, "zero_g": 0.0}, "length_mm": null, "asked_mm": 3760.0, "asked_from": "given", "flow_percent": 95.0, "esteps": 420.0, "diameters": {"slicer_mm": 1.75, "found_mm": 1.7425, "u95_mm": 0.026824618112934285}, "of_trial": null}',NULL,NULL,57,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(33,'map','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "layer_mm": 0.24, "flow_percent": 96.0, "sections": [{"walls": 3, "readings": 0, "flow_percent": null, "speed_mm_s": 20.0}, {"walls": 3, "readings": 0, "flow_percent": null, "speed_mm_s": 40.0}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "width_mm": 0.6, "line_model": "rounded", "aim_mm": null, "dose": null, "set_percent": 95.0, "by_plan": false, "accept_percent": [-2.0, 3.0], "sure_needed_percent": 75.0, "round_to_percent": 1.0, "round": "nearest", "esteps": 420.0, "diameter_mm": 1.75, "tube": {"side_mm": 30.0, "section_mm": 8.0}, "along_m": null}',NULL,NULL,58,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(34,'heat','planned',1,1,1,210.0,NULL,NULL,NULL,NULL,'{"version": 1, "temperatures_c": [225.0, 220.0, 215.0, 210.0, 205.0], "set_c": 210.0, "nozzles": ["heron-0.5"], "line": {"width_mm": 0.5, "layer_mm": 0.2, "line_model": "rounded", "flow_percent": 95.0, "widths_mm": [], "layers_mm": []}, "speed_mm_s": 40.0, "step_mm": 8.0}',NULL,NULL,59,NULL,NULL,NULL,NULL);
INSERT INTO "trial" VALUES(35,'proof','planned',1,1,1,210.0,NULL,NULL,NULL,'calipers','{"version": 1, "part": "globe", "places": [{"name": "place", "expected_mm": 0.45, "readings": 0}], "instrument_mm": {"repeatability_mm": 0.012, "accuracy_mm": 0.02, "resolution_mm": 0.01, "zero_mm": 0.01}, "layer_mm": null, "grams": null, "file_grams": null, "minutes": null, "file_minutes": null, "estimate_from": "given", "says": null, "photo": null, "flow_percent": 95.0, "expected_from": "as given"}',NULL,NULL,60,NULL,NULL,NULL,NULL);
CREATE INDEX nozzle_of_printer ON nozzle (printer);
CREATE INDEX change_of_printer ON change (printer);
CREATE INDEX trial_of_printer ON trial (printer, test, state, measured);
CREATE INDEX trial_of_bench ON trial (printer, nozzle, spool, test, state, measured);
CREATE INDEX trial_of_test ON trial (test, id);
CREATE INDEX trial_of_spool ON trial (spool, test, state, measured);
CREATE INDEX trial_planned ON trial (printer, nozzle, spool) WHERE state = 'planned';
CREATE INDEX trial_by_plan ON trial (planned);
CREATE UNIQUE INDEX trial_of_draft ON trial (draft) WHERE draft IS NOT NULL;
CREATE INDEX entry_of_bench ON entry (printer, kind, nozzle, spool, moment);
CREATE INDEX edit_of_item ON edit (subject, item);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('moment',60);
INSERT INTO "sqlite_sequence" VALUES('trial',35);
COMMIT;
