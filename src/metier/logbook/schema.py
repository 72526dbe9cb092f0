"""The tables of the logbook, and how an older logbook becomes a newer one.

A ``moment`` is one recorded fact. Its id orders facts even where a clock was set back, as it is
on a small computer without one of its own. What a trial is, planned, measured or withdrawn,
follows from the last such fact.

``trial.settings`` and ``trial.findings`` are JSON, since each test has its own; what the logbook
itself reckons with stands in columns. ``outcome`` holds the values a trial speaks about in the
unit of calculation (flow as a ratio): one a trial mostly, three for a plate of holes and posts.

What values, hardware, instruments, places of the origin and the like there are is known by the
program alone: a table that lists them too would have to be made anew for each new one.
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
  added INTEGER NOT NULL REFERENCES moment,
  retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1)),
  note TEXT,
  temperature_c REAL, -- of the nozzle when it was last on the bench
  bed_c REAL,
  fan_percent REAL CHECK (fan_percent BETWEEN 0 AND 100),
  hottest_c REAL
) STRICT;

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

CREATE TABLE change (
  moment INTEGER PRIMARY KEY REFERENCES moment,
  printer INTEGER NOT NULL REFERENCES printer,
  what TEXT NOT NULL CHECK (what <> ''),
  nozzle INTEGER REFERENCES nozzle, -- the one fitted, or the one found worn
  affects TEXT NOT NULL CHECK (json_valid(affects)),
  note TEXT,
  withdrawn INTEGER REFERENCES moment
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
CREATE INDEX trial_of_printer ON trial (printer, test, state, measured);
CREATE INDEX trial_of_bench ON trial (printer, nozzle, spool, test, state, measured);
CREATE INDEX trial_of_test ON trial (test, id);
CREATE INDEX trial_of_spool ON trial (spool, test, state, measured);
CREATE INDEX trial_planned ON trial (printer, nozzle, spool) WHERE state = 'planned';
CREATE INDEX trial_by_plan ON trial (planned);
CREATE UNIQUE INDEX trial_of_draft ON trial (draft) WHERE draft IS NOT NULL;

CREATE TABLE fate (
  moment INTEGER NOT NULL REFERENCES moment,
  trial INTEGER NOT NULL REFERENCES trial,
  withdrawn INTEGER NOT NULL CHECK (withdrawn IN (0, 1)), -- 0 where it was brought back
  PRIMARY KEY (trial, moment)
) STRICT, WITHOUT ROWID;

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
CREATE INDEX entry_of_bench ON entry (printer, kind, nozzle, spool, moment);

-- Whatever was said can be mended, and what it was before stays: an edit is a fact of its own.
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

CREATE TABLE preference (
  moment INTEGER NOT NULL REFERENCES moment,
  test TEXT NOT NULL,
  name TEXT NOT NULL,
  spool INTEGER REFERENCES spool, -- whose filament it is for; NULL for all
  value TEXT NOT NULL CHECK (json_valid(value)),
  withdrawn INTEGER REFERENCES moment,
  PRIMARY KEY (moment, test, name)
) STRICT, WITHOUT ROWID;

CREATE TABLE skip (
  printer INTEGER NOT NULL REFERENCES printer,
  nozzle INTEGER NOT NULL REFERENCES nozzle,
  spool INTEGER NOT NULL REFERENCES spool,
  step TEXT NOT NULL,
  stood TEXT NOT NULL, -- how the step stood when it was skipped
  PRIMARY KEY (printer, nozzle, spool, step)
) STRICT, WITHOUT ROWID;

CREATE TABLE shown (
  gcode TEXT PRIMARY KEY -- a start or an end that whoever prints has seen
) STRICT, WITHOUT ROWID;
"""

_SECOND = """
ALTER TABLE printer ADD COLUMN line_model_shown INTEGER NOT NULL DEFAULT 0
  CHECK (line_model_shown IN (0, 1)); -- by a sliced file or a preview, not told
ALTER TABLE spool ADD COLUMN density_g_cm3 REAL CHECK (density_g_cm3 > 0);
"""

_THIRD = """
ALTER TABLE spool ADD COLUMN dried INTEGER REFERENCES moment; -- when that was last told
ALTER TABLE spool ADD COLUMN dried_how TEXT; -- as 6 h at 50 °C
"""

# The script at position n takes a logbook of version n to version n + 1. Each is kept as it is for
# ever: what is changed is changed by another one behind it.
MIGRATIONS = (_FIRST, _SECOND, _THIRD)
VERSION = len(MIGRATIONS)
