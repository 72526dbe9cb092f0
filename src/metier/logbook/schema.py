"""The tables of the logbook, and how an older logbook becomes a newer one.

A ``moment`` is one recorded fact. Its id orders facts even where a clock was set back, as it is
on a small computer without one of its own.

``trial.settings`` and ``trial.findings`` are JSON, since each test has its own; what the logbook
itself reckons with stands in columns. ``outcome`` holds the values a trial speaks about in the
unit of calculation (flow as a ratio): one a trial mostly, three for a plate of holes and posts.
"""

APPLICATION_ID = 0x4D657469

_FIRST = """
CREATE TABLE moment (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  uid TEXT NOT NULL UNIQUE DEFAULT (lower(hex(randomblob(8)))), -- the same in every copy
  at TEXT NOT NULL -- UTC, ISO 8601
) STRICT;

CREATE TABLE printer (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  decimals INTEGER NOT NULL CHECK (decimals BETWEEN 0 AND 6),
  line_model TEXT CHECK (line_model IN ('plain', 'rounded', 'rectangular')),
  full_steps REAL CHECK (full_steps > 0),
  microsteps REAL CHECK (microsteps > 0),
  added INTEGER NOT NULL REFERENCES moment
) STRICT;

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
CREATE INDEX nozzle_of_printer ON nozzle (printer);

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

CREATE TABLE bench (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  printer INTEGER REFERENCES printer,
  nozzle INTEGER REFERENCES nozzle,
  spool INTEGER REFERENCES spool,
  temperature_c REAL,
  flow_step_percent REAL NOT NULL DEFAULT 1 CHECK (flow_step_percent > 0),
  show_flow TEXT NOT NULL DEFAULT 'percent' CHECK (show_flow IN ('percent', 'multiplier'))
) STRICT;

CREATE TABLE change (
  moment INTEGER PRIMARY KEY REFERENCES moment,
  printer INTEGER NOT NULL REFERENCES printer,
  what TEXT NOT NULL
    CHECK (what IN ('nozzle', 'extruder', 'hotend', 'mainboard', 'motion', 'other')),
  nozzle INTEGER REFERENCES nozzle, -- the one fitted, or the one found worn
  affects TEXT NOT NULL CHECK (json_valid(affects)),
  note TEXT
) STRICT;
CREATE INDEX change_of_printer ON change (printer);

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
CREATE INDEX trial_of_printer ON trial (printer, test, state, measured);
CREATE INDEX trial_of_bench ON trial (printer, nozzle, spool, test, state, measured);
CREATE INDEX trial_of_test ON trial (test, id);
CREATE INDEX trial_of_spool ON trial (spool, test, state, measured);
CREATE INDEX trial_planned ON trial (printer, nozzle, spool) WHERE state = 'planned';

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

CREATE TABLE outcome (
  trial INTEGER NOT NULL REFERENCES trial,
  kind TEXT NOT NULL CHECK (kind IN ('esteps', 'flow', 'limit', 'hole', 'contour', 'scale')),
  value_now REAL,
  value_new REAL,
  u95 REAL,
  value_to_type REAL,
  PRIMARY KEY (trial, kind)
) STRICT, WITHOUT ROWID;

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
CREATE INDEX entry_of_bench ON entry (printer, kind, nozzle, spool, moment);
"""

# What values, hardware and instruments there are is known by the program alone: a table that
# lists them too would have to be made anew for each new one.
_WITHOUT_LISTS = """
CREATE TABLE outcome_of_any_value (
  trial INTEGER NOT NULL REFERENCES trial,
  kind TEXT NOT NULL CHECK (kind <> ''), -- the name of the value
  value_now REAL,
  value_new REAL,
  u95 REAL,
  value_to_type REAL,
  PRIMARY KEY (trial, kind)
) STRICT, WITHOUT ROWID;
INSERT INTO outcome_of_any_value SELECT * FROM outcome;
DROP TABLE outcome;
ALTER TABLE outcome_of_any_value RENAME TO outcome;

CREATE TABLE entry_of_any_value (
  moment INTEGER NOT NULL REFERENCES moment,
  kind TEXT NOT NULL CHECK (kind <> ''),
  value REAL NOT NULL,
  printer INTEGER NOT NULL REFERENCES printer,
  nozzle INTEGER REFERENCES nozzle,
  spool INTEGER REFERENCES spool,
  temperature_c REAL,
  PRIMARY KEY (moment, kind)
) STRICT;
INSERT INTO entry_of_any_value SELECT * FROM entry;
DROP TABLE entry;
ALTER TABLE entry_of_any_value RENAME TO entry;
CREATE INDEX entry_of_bench ON entry (printer, kind, nozzle, spool, moment);

CREATE TABLE change_of_any_part (
  moment INTEGER PRIMARY KEY REFERENCES moment,
  printer INTEGER NOT NULL REFERENCES printer,
  what TEXT NOT NULL CHECK (what <> ''),
  nozzle INTEGER REFERENCES nozzle, -- the one fitted, or the one found worn
  affects TEXT NOT NULL CHECK (json_valid(affects)),
  note TEXT
) STRICT;
INSERT INTO change_of_any_part SELECT * FROM change;
DROP TABLE change;
ALTER TABLE change_of_any_part RENAME TO change;
CREATE INDEX change_of_printer ON change (printer);

CREATE TABLE instrument_of_any_kind (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (name <> ''),
  kind TEXT NOT NULL CHECK (kind <> ''),
  accuracy_mm REAL CHECK (accuracy_mm >= 0),
  resolution_mm REAL CHECK (resolution_mm > 0),
  zero_mm REAL,
  zeroed INTEGER REFERENCES moment,
  added INTEGER NOT NULL REFERENCES moment
) STRICT;
INSERT INTO instrument_of_any_kind SELECT * FROM instrument;
DROP TABLE instrument;
ALTER TABLE instrument_of_any_kind RENAME TO instrument;
"""

# A trial may be sure of a range of values, or know that it can never be sure. «Plain» was no line
# model, but the want of one.
_SURE = """
ALTER TABLE outcome ADD COLUMN sure_from REAL;
ALTER TABLE outcome ADD COLUMN sure_to REAL;
ALTER TABLE outcome ADD COLUMN rough INTEGER NOT NULL DEFAULT 0 CHECK (rough IN (0, 1));
UPDATE printer SET line_model = NULL WHERE line_model = 'plain';
"""

# A trial knows the draft that its readings were typed into, and being withdrawn or brought back is
# a fact like any other: what a trial is follows from the last of them.
_FACTS = """
ALTER TABLE trial ADD COLUMN draft TEXT;
CREATE UNIQUE INDEX trial_of_draft ON trial (draft) WHERE draft IS NOT NULL;
CREATE TABLE fate (
  moment INTEGER NOT NULL REFERENCES moment,
  trial INTEGER NOT NULL REFERENCES trial,
  withdrawn INTEGER NOT NULL CHECK (withdrawn IN (0, 1)),
  PRIMARY KEY (trial, moment)
) STRICT, WITHOUT ROWID;
INSERT INTO fate (moment, trial, withdrawn)
  SELECT withdrawn, id, 1 FROM trial WHERE withdrawn IS NOT NULL;
CREATE INDEX trial_by_plan ON trial (planned);
"""

# Whatever was said can be mended, and what it was before stays: an edit is a fact of its own. What
# is taken back or out of use is kept, marked.
_MENDED = """
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
CREATE INDEX edit_of_item ON edit (subject, item);
ALTER TABLE printer ADD COLUMN retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1));
ALTER TABLE printer ADD COLUMN note TEXT;
ALTER TABLE nozzle ADD COLUMN retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1));
ALTER TABLE nozzle ADD COLUMN note TEXT;
ALTER TABLE spool ADD COLUMN retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1));
ALTER TABLE spool ADD COLUMN note TEXT;
ALTER TABLE spool ADD COLUMN temperature_c REAL; -- of the nozzle when it was last on the bench
ALTER TABLE instrument ADD COLUMN retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1));
ALTER TABLE instrument ADD COLUMN note TEXT;
ALTER TABLE instrument ADD COLUMN reach_mm REAL CHECK (reach_mm > 0);
ALTER TABLE trial ADD COLUMN note TEXT;
ALTER TABLE trial ADD COLUMN fed TEXT; -- by which way filament was fed; the program knows them
UPDATE trial SET fed = through;
ALTER TABLE trial DROP COLUMN through;
ALTER TABLE trial RENAME COLUMN fed TO through;
ALTER TABLE entry ADD COLUMN found INTEGER NOT NULL DEFAULT 0 CHECK (found IN (0, 1));
ALTER TABLE entry ADD COLUMN opened_mm REAL; -- what of it was opened for a fit, per side
ALTER TABLE entry ADD COLUMN withdrawn INTEGER REFERENCES moment;
ALTER TABLE change ADD COLUMN withdrawn INTEGER REFERENCES moment;
CREATE TABLE preference (
  moment INTEGER NOT NULL REFERENCES moment,
  test TEXT NOT NULL,
  name TEXT NOT NULL,
  spool INTEGER REFERENCES spool, -- whose filament it is for; NULL for all
  value TEXT NOT NULL CHECK (json_valid(value)),
  withdrawn INTEGER REFERENCES moment,
  PRIMARY KEY (moment, test, name)
) STRICT, WITHOUT ROWID;
INSERT INTO outcome (trial, kind, value_now, value_new, u95, value_to_type, rough)
  SELECT id, 'diameter', json_extract(findings, '$.slicer_mm'),
    json_extract(findings, '$.diameter_mm'), json_extract(findings, '$.diameter_u95_mm'),
    CASE verdict WHEN 'correct' THEN round(json_extract(findings, '$.diameter_mm'), 2)
      WHEN 'recheck' THEN NULL ELSE json_extract(findings, '$.slicer_mm') END,
    verdict = 'unclear'
  FROM trial WHERE test = 'diameter' AND findings IS NOT NULL AND verdict IS NOT NULL;
CREATE TABLE skip (
  printer INTEGER NOT NULL REFERENCES printer,
  nozzle INTEGER NOT NULL REFERENCES nozzle,
  spool INTEGER NOT NULL REFERENCES spool,
  step TEXT NOT NULL,
  stood TEXT NOT NULL, -- how the step stood when it was skipped
  PRIMARY KEY (printer, nozzle, spool, step)
) STRICT, WITHOUT ROWID;
"""

# A part is written ready to print: what belongs to a printer and to a roll is told once.
_PRINTED = """
ALTER TABLE printer ADD COLUMN bed_x_mm REAL CHECK (bed_x_mm > 0);
ALTER TABLE printer ADD COLUMN bed_y_mm REAL CHECK (bed_y_mm > 0);
ALTER TABLE printer ADD COLUMN origin TEXT; -- where 0, 0 lies; the program knows the places
ALTER TABLE printer ADD COLUMN accel_mm_s2 REAL CHECK (accel_mm_s2 > 0);
ALTER TABLE printer ADD COLUMN hottest_c REAL; -- what its nozzle may be heated to
ALTER TABLE printer ADD COLUMN retract_mm REAL CHECK (retract_mm >= 0);
ALTER TABLE printer ADD COLUMN start_gcode TEXT;
ALTER TABLE printer ADD COLUMN end_gcode TEXT;
ALTER TABLE spool ADD COLUMN bed_c REAL;
ALTER TABLE spool ADD COLUMN fan_percent REAL CHECK (fan_percent BETWEEN 0 AND 100);
ALTER TABLE spool ADD COLUMN hottest_c REAL;
"""

# A printer is spoken to over its cable.
_CABLED = """
ALTER TABLE printer ADD COLUMN port TEXT CHECK (port <> '');
ALTER TABLE printer ADD COLUMN baud INTEGER CHECK (baud > 0);
"""

# A scale reads grams, and walls are printed at a speed that flow stands for.
_WEIGHED = """
ALTER TABLE reading RENAME COLUMN value_mm TO value; -- in the unit of what its kind reads
ALTER TABLE instrument ADD COLUMN accuracy_g REAL CHECK (accuracy_g >= 0);
ALTER TABLE instrument ADD COLUMN resolution_g REAL CHECK (resolution_g > 0);
ALTER TABLE instrument ADD COLUMN zero_g REAL;
ALTER TABLE bench ADD COLUMN speed_mm_s REAL CHECK (speed_mm_s > 0);
"""

# A printer's bed has its highest, too, and not every board keeps its e-steps.
_GUARDED = """
ALTER TABLE printer ADD COLUMN hottest_bed_c REAL; -- what its bed may be heated to
ALTER TABLE printer ADD COLUMN steps_in TEXT; -- where its e-steps are kept; the program knows them
"""

# Parts are no higher than the printer, and several are printed one after the other where the head
# has room. G-code of the user's own is written into files once it was shown.
_ROOM = """
ALTER TABLE printer ADD COLUMN bed_z_mm REAL CHECK (bed_z_mm > 0); -- how high it prints
ALTER TABLE printer ADD COLUMN head_round_mm REAL CHECK (head_round_mm > 0);
ALTER TABLE printer ADD COLUMN head_above_mm REAL CHECK (head_above_mm > 0);
CREATE TABLE shown (
  gcode TEXT PRIMARY KEY -- a start or an end that whoever prints has seen
) STRICT, WITHOUT ROWID;
INSERT INTO shown SELECT start_gcode FROM printer WHERE start_gcode <> ''
  UNION SELECT end_gcode FROM printer WHERE end_gcode <> '';
"""

# The script at position n takes a logbook of version n to version n + 1.
MIGRATIONS = (
    _FIRST,
    _WITHOUT_LISTS,
    _SURE,
    _FACTS,
    _MENDED,
    _PRINTED,
    _CABLED,
    _WEIGHED,
    _GUARDED,
    _ROOM,
)
VERSION = len(MIGRATIONS)
