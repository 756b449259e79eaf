"""The tables as peewee models; columns carry their units in their names."""

from typing import Any

import peewee
from playhouse.mysql_ext import JSONField

from orange_crank.store.database import UtcDateTimeField, proxy


class Record(peewee.Model):
    """Base of all tables."""

    id: Any = peewee.AutoField()

    class Meta:
        """Bound at start-up."""

        database = proxy
        legacy_table_names = False


class Person(Record):
    """A person of the shop."""

    name = peewee.CharField(max_length=80)
    role = peewee.CharField(max_length=20)
    initials = peewee.CharField(max_length=4)
    active = peewee.BooleanField(default=True)
    version = peewee.IntegerField(default=1)


class Site(Record):
    """A place with units."""

    name = peewee.CharField(max_length=80)
    place = peewee.CharField(max_length=120, default="")
    access_note = peewee.TextField(default="")
    contact = peewee.CharField(max_length=400, default="")
    language = peewee.CharField(max_length=2, default="en")
    elevation_ft = peewee.DoubleField(null=True)
    design_f = peewee.DoubleField(null=True)
    version = peewee.IntegerField(default=1)


class Unit(Record):
    """One piece of equipment at a site."""

    site_id: int
    merged_into_id: int | None

    site = peewee.ForeignKeyField(Site, backref="units")
    name = peewee.CharField(max_length=80)
    kind = peewee.CharField(max_length=80, default="")
    note = peewee.TextField(default="")
    serial = peewee.CharField(max_length=80, default="")
    model = peewee.CharField(max_length=80, default="")
    built_year = peewee.IntegerField(null=True)
    warranty_until = peewee.DateField(null=True)
    access_note = peewee.TextField(default="")
    version = peewee.IntegerField(default=1)
    merged_into = peewee.ForeignKeyField("self", null=True)


class ServiceCall(Record):
    """One visit to one unit."""

    unit_id: int
    opened_by_id: int
    unit = peewee.ForeignKeyField(Unit, backref="calls")
    complaint = peewee.CharField(max_length=400)
    note = peewee.TextField(default="")
    status = peewee.CharField(max_length=10, default="open")
    opened_at = UtcDateTimeField()
    opened_by = peewee.ForeignKeyField(Person)
    closed_at = UtcDateTimeField(null=True)
    version = peewee.IntegerField(default=1)
    entries = peewee.IntegerField(default=0)
    spoken_to = peewee.CharField(max_length=400, default="")
    parts_ordered = peewee.CharField(max_length=400, default="")
    closed_reason = peewee.CharField(max_length=400, null=True)
    closed_plate = peewee.IntegerField(null=True)
    closed_standard = peewee.IntegerField(null=True)
    closed_reading = peewee.IntegerField(null=True)
    closed_change = peewee.IntegerField(null=True)


class PlateVersion(Record):
    """A nameplate as it was read once; a better reading is a new version."""

    unit_id: int
    unit = peewee.ForeignKeyField(Unit, backref="plates")
    call = peewee.ForeignKeyField(ServiceCall, null=True)
    number = peewee.IntegerField()
    volts_v = peewee.DoubleField()
    phase = peewee.IntegerField()
    other_a = peewee.DoubleField(null=True)
    mca_a = peewee.DoubleField(null=True)
    mocp_a = peewee.DoubleField(null=True)
    run_cap_uf = peewee.DoubleField(null=True)
    fan_cap_uf = peewee.DoubleField(null=True)
    cooling_ton = peewee.DoubleField(null=True)
    compressor_hp = peewee.DoubleField(null=True)
    line_hz = peewee.DoubleField(null=True)
    inverter = peewee.BooleanField(null=True)
    refrigerant = peewee.CharField(max_length=80, null=True)
    metering = peewee.CharField(max_length=10, null=True)
    # "starting" is a word of SQL itself.
    starting = peewee.CharField(max_length=30, null=True, column_name="starts_with")
    overcurrent_allowed = peewee.CharField(max_length=20, null=True)
    recorded_at = UtcDateTimeField()
    recorded_by = peewee.ForeignKeyField(Person)

    class Meta:
        """Kept under the trade's own word."""

        table_name = "plate"


class PlateCompressor(Record):
    """One compressor of a plate."""

    plate_id: int
    plate = peewee.ForeignKeyField(PlateVersion, backref="compressors")
    position = peewee.IntegerField()
    rla_a = peewee.DoubleField()
    lra_a = peewee.DoubleField(null=True)
    bcsc_a = peewee.DoubleField(null=True)
    kind = peewee.CharField(max_length=80, null=True)


class PlateMotor(Record):
    """One other motor of a plate."""

    plate_id: int
    plate = peewee.ForeignKeyField(PlateVersion, backref="motors")
    position = peewee.IntegerField()
    fla_a = peewee.DoubleField()
    lra_a = peewee.DoubleField(null=True)


class MakeSafeRecord(Record):
    """A make-safe record as it was taken."""

    call = peewee.ForeignKeyField(ServiceCall, backref="make_safe_records")
    record = JSONField()
    recorded_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class SafetyEventRow(Record):
    """Something that changed what is safe on a call."""

    call_id: int
    make_safe_record_id: int | None
    call = peewee.ForeignKeyField(ServiceCall, backref="safety_events")
    kind = peewee.CharField(max_length=20)
    make_safe_record = peewee.ForeignKeyField(MakeSafeRecord, null=True)
    detail = peewee.CharField(max_length=2000, null=True)
    happened_at = UtcDateTimeField()
    volts_taken_at = UtcDateTimeField(null=True)
    leads_back = peewee.BooleanField(null=True)
    entry_no = peewee.IntegerField(default=0)
    person = peewee.ForeignKeyField(Person)

    class Meta:
        """Named for what a row is."""

        table_name = "safety_event"


class Reading(Record):
    """A reading; append-only, a correction supersedes."""

    call_id: int
    supersedes_id: int | None
    call = peewee.ForeignKeyField(ServiceCall, backref="readings")
    quantity = peewee.CharField(max_length=40)
    value = peewee.DoubleField(null=True)
    value_word = peewee.CharField(max_length=40, null=True)
    unit = peewee.CharField(max_length=10)
    meter_mode = peewee.CharField(max_length=20, null=True)
    conductor = peewee.CharField(max_length=20, null=True)
    line_v = peewee.DoubleField(null=True)
    outdoor_f = peewee.DoubleField(null=True)
    rest_min = peewee.DoubleField(null=True)
    learning_starts = peewee.IntegerField(null=True)
    outcome = peewee.CharField(max_length=10, null=True)
    start_s = peewee.DoubleField(null=True)
    later_a = peewee.DoubleField(null=True)
    accuracy_pct = peewee.DoubleField(null=True)
    plus_minus = peewee.DoubleField(null=True)
    timed_by = peewee.CharField(max_length=10, null=True)
    aid = peewee.CharField(max_length=20, null=True)
    spot = peewee.CharField(max_length=40, null=True)
    note = peewee.TextField(null=True)
    call_state = peewee.CharField(max_length=20)
    without_make_safe = peewee.TextField(null=True)
    taken_at = UtcDateTimeField()
    recorded_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)
    supersedes = peewee.ForeignKeyField("self", null=True)
    lead_ohm = peewee.DoubleField(null=True)
    entry_no = peewee.IntegerField(default=0)


class ChangeMade(Record):
    """Something changed on the unit during a call."""

    call_id: int

    call = peewee.ForeignKeyField(ServiceCall, backref="changes")
    what = peewee.CharField(max_length=80)
    part = peewee.CharField(max_length=20, null=True)
    made_at = UtcDateTimeField()
    entry_no = peewee.IntegerField(default=0)
    person = peewee.ForeignKeyField(Person)


class SoundRow(Record):
    """A start as recorded by ear: WAV with its checksum; never altered."""

    call_id: int

    call = peewee.ForeignKeyField(ServiceCall, backref="sounds")
    wav = peewee.BlobField()
    sha256 = peewee.CharField(max_length=64)
    recorded_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)

    class Meta:
        """Named for what a row is."""

        table_name = "sound"


class DecisionRow(Record):
    """Symptoms, sightings and decisions of a call; append-only, the newest of a kind counts."""

    call_id: int

    call = peewee.ForeignKeyField(ServiceCall, backref="decisions")
    kind = peewee.CharField(max_length=20)
    body = peewee.TextField()
    decided_at = UtcDateTimeField()
    entry_no = peewee.IntegerField(default=0)
    person = peewee.ForeignKeyField(Person)

    class Meta:
        """Named for what a row is."""

        table_name = "decision"


class OwnPart(Record):
    """A part of the shop's own list; the newest import of a number holds."""

    part = peewee.CharField(max_length=40, unique=True)
    body = peewee.TextField()
    set_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class PartPrice(Record):
    """A price as it was set once; the latest of a part holds."""

    part = peewee.CharField(max_length=40)
    price = peewee.DoubleField()
    set_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class StockMove(Record):
    """Parts into a van or out of it; append-only, a van holds their sum."""

    holder_id: int
    call_id: int | None

    part = peewee.CharField(max_length=40)
    holder = peewee.ForeignKeyField(Person, backref="stock")
    moved_count = peewee.IntegerField()
    reason = peewee.CharField(max_length=12)
    call = peewee.ForeignKeyField(ServiceCall, null=True, backref="stock_moves")
    note = peewee.CharField(max_length=400, null=True)
    moved_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class StockWant(Record):
    """How many of a part a van should hold."""

    part = peewee.CharField(max_length=40)
    holder = peewee.ForeignKeyField(Person)
    want_count = peewee.IntegerField()


class CaptureRow(Record):
    """A recorded waveform, compressed, with its checksum; never altered."""

    call_id: int

    call = peewee.ForeignKeyField(ServiceCall, backref="captures")
    name = peewee.CharField(max_length=120)
    sample_hz = peewee.DoubleField()
    line_hz = peewee.DoubleField()
    conductor = peewee.CharField(max_length=20, null=True)
    channels = JSONField()
    notes = JSONField()
    sample_count = peewee.IntegerField()
    start_s = peewee.DoubleField(default=0.0)
    stamp = peewee.CharField(max_length=40, null=True)
    samples = peewee.BlobField()
    sha256 = peewee.CharField(max_length=64)
    recorded_at = UtcDateTimeField()
    entry_no = peewee.IntegerField(default=0)
    person = peewee.ForeignKeyField(Person)

    class Meta:
        """Named for what a row is."""

        table_name = "capture"


class Photo(Record):
    """A photograph, re-encoded, without where it was taken."""

    call = peewee.ForeignKeyField(ServiceCall, backref="photos")
    subject = peewee.CharField(max_length=20)
    caption = peewee.CharField(max_length=400)
    width_px = peewee.IntegerField()
    height_px = peewee.IntegerField()
    jpeg = peewee.BlobField()
    sha256 = peewee.CharField(max_length=64)
    recorded_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class ShopStandardRow(Record):
    """A shop standard as it was set once; the latest of a name holds."""

    name = peewee.CharField(max_length=60)
    value = peewee.DoubleField()
    why = peewee.CharField(max_length=400)
    set_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)

    class Meta:
        """Named for what a row is."""

        table_name = "shop_standard"


class CoolingClock(Record):
    """A hot compressor cooling down."""

    call_id: int

    call = peewee.ForeignKeyField(ServiceCall, backref="clocks")
    minutes_min = peewee.DoubleField()
    shell_f = peewee.DoubleField(null=True)
    started_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)
    ended_at = UtcDateTimeField(null=True)
    ended_by = peewee.ForeignKeyField(Person, null=True)


class TestTaken(Record):
    """A test of several readings as it was entered."""

    __test__ = False

    call = peewee.ForeignKeyField(ServiceCall, backref="tests")
    topic = peewee.CharField(max_length=40)
    entry = JSONField()
    call_state = peewee.CharField(max_length=20)
    without_make_safe = peewee.TextField(null=True)
    taken_at = UtcDateTimeField()
    entry_no = peewee.IntegerField(default=0)
    person = peewee.ForeignKeyField(Person)


class Task(Record):
    """Something to come back for; its story is kept beside it."""

    call_id: int | None
    unit_id: int
    assigned_id: int | None

    unit = peewee.ForeignKeyField(Unit, backref="tasks")
    call = peewee.ForeignKeyField(ServiceCall, null=True, backref="tasks")
    code = peewee.CharField(max_length=40)
    title = peewee.CharField(max_length=200)
    why = peewee.TextField()
    due_on = peewee.DateField()
    status = peewee.CharField(max_length=10, default="open")
    assigned = peewee.ForeignKeyField(Person, null=True, backref="tasks")
    version = peewee.IntegerField(default=1)
    made_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class TaskStep(Record):
    """What became of a task: done, postponed, dropped, given to a person; append-only."""

    task_id: int

    task = peewee.ForeignKeyField(Task, backref="steps")
    what = peewee.CharField(max_length=12)
    reason = peewee.CharField(max_length=400, default="")
    due_on = peewee.DateField(null=True)
    assigned = peewee.ForeignKeyField(Person, null=True)
    happened_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class PlannedVisit(Record):
    """A visit to come: who, when, to which unit, and what for."""

    unit_id: int
    visitor_id: int
    call_id: int | None

    unit = peewee.ForeignKeyField(Unit, backref="planned_visits")
    visitor = peewee.ForeignKeyField(Person, backref="planned_visits")
    starts_at = UtcDateTimeField()
    minutes = peewee.IntegerField()
    purpose = peewee.CharField(max_length=400)
    status = peewee.CharField(max_length=10, default="planned")
    call = peewee.ForeignKeyField(ServiceCall, null=True)
    version = peewee.IntegerField(default=1)
    made_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)


class UnitForecast(peewee.Model):
    """A forecast from a unit's visits, cached with its readings; never more than a copy."""

    unit_id: int

    unit = peewee.ForeignKeyField(Unit, primary_key=True)
    newest_reading = peewee.IntegerField()
    newest_change = peewee.IntegerField()
    on_day = peewee.IntegerField()
    body = peewee.TextField()

    class Meta:
        """Bound at start-up."""

        database = proxy
        legacy_table_names = False


class Origin(Record):
    """Where a row that was imported came from, so that the same archive brings it once."""

    shop_uid = peewee.CharField(max_length=36)
    table_name = peewee.CharField(max_length=40)
    origin_id = peewee.IntegerField()
    local_id = peewee.IntegerField()
    created = peewee.BooleanField()


class ImportBatch(Record):
    """A list that was imported, and whether it was taken back."""

    kind = peewee.CharField(max_length=20)
    told = peewee.TextField()
    made_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person)
    undone_at = UtcDateTimeField(null=True)
    undone_by = peewee.ForeignKeyField(Person, null=True)


class ImportLine(Record):
    """What an import did to one row: what it was, what it was made."""

    batch = peewee.ForeignKeyField(ImportBatch, backref="lines")
    table_name = peewee.CharField(max_length=40)
    row_id = peewee.IntegerField()
    was = peewee.TextField(null=True)
    made = peewee.TextField()


class AuditRow(Record):
    """Who changed what of the shop itself: people, sites, units; append-only."""

    what = peewee.CharField(max_length=40)
    subject = peewee.CharField(max_length=200)
    detail = peewee.TextField()
    happened_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person, null=True)

    class Meta:
        """Named for what a row is."""

        table_name = "audit"


class ShopDetail(Record):
    """The shop as it is named on its papers, and how it reckons; the newest holds."""

    body = peewee.TextField()
    set_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person, null=True)


class RequestKept(Record):
    """A request as it was answered once: the same key again finds the answer, never a second record."""

    request_key = peewee.CharField(max_length=80, unique=True)
    digest = peewee.CharField(max_length=64)
    result = peewee.IntegerField(null=True)
    kept_at = UtcDateTimeField()


class ShopFact(peewee.Model):
    """A note on the records themselves, by name."""

    name = peewee.CharField(max_length=40, primary_key=True)
    value = peewee.CharField(max_length=400)

    class Meta:
        """Bound at start-up."""

        database = proxy
        legacy_table_names = False


class PracticeSet(Record):
    """A practice call that the lead set a person."""

    learner_id: int
    scenario = peewee.CharField(max_length=60)
    learner = peewee.ForeignKeyField(Person, backref="practice_sets")
    due_on = peewee.DateField()
    set_at = UtcDateTimeField()
    person = peewee.ForeignKeyField(Person, backref="practice_set_by")


class PracticeRun(Record):
    """A practice call a person began; its own call lies among the records of practice."""

    learner_id: int
    scenario = peewee.CharField(max_length=60)
    learner = peewee.ForeignKeyField(Person, backref="practice_runs")
    call_number = peewee.IntegerField(unique=True)
    race = peewee.CharField(max_length=12, null=True)
    started_at = UtcDateTimeField()
    ended_at = UtcDateTimeField(null=True)
    total = peewee.DoubleField(null=True)
    passed = peewee.BooleanField(null=True)
    minutes = peewee.DoubleField(null=True)
    score = peewee.TextField(null=True)


class PracticeAct(Record):
    """One act of a practice call, append-only."""

    run_id: int
    run = peewee.ForeignKeyField(PracticeRun, backref="acts")
    number = peewee.IntegerField()
    body = peewee.TextField()
    done_at = UtcDateTimeField()


class SweepRun(Record):
    """A grid run of the lab; scratch, let go when newer ones come."""

    name = peewee.CharField(max_length=32, unique=True)
    fields = peewee.TextField()
    total = peewee.IntegerField()
    status = peewee.CharField(max_length=10)
    problem = peewee.TextField(null=True)
    begun_at = UtcDateTimeField()
    beat_at = UtcDateTimeField()


class SweepPart(Record):
    """Some rows of a grid run, as they were computed."""

    run = peewee.ForeignKeyField(SweepRun, backref="parts")
    row_count = peewee.IntegerField()
    body = peewee.TextField()


class AnalysisRow(Record):
    """What is read off a file on record, by the code that read it; made again by other code."""

    kind = peewee.CharField(max_length=12)
    number = peewee.IntegerField()
    read_by = peewee.CharField(max_length=64)
    body = peewee.TextField()

    class Meta:
        """Named for what it holds."""

        table_name = "analysis"


class ChangeTrail(Record):
    """A change of a row, written by the database's own triggers; append-only."""

    table_name = peewee.CharField(max_length=40)
    row_name = peewee.CharField(max_length=64)
    verb = peewee.CharField(max_length=6)
    person_id = peewee.IntegerField(null=True)
    happened_at = UtcDateTimeField()
    was = JSONField()
    becomes = JSONField()


class Credential(Record):
    """What a person signs in by: hashes only."""

    id = None
    person = peewee.ForeignKeyField(Person, primary_key=True)
    passphrase_hash = peewee.CharField(max_length=255, null=True)
    pin_hash = peewee.CharField(max_length=255, null=True)
    changed_at = UtcDateTimeField()


class SignInSession(Record):
    """A device a person signed in on; ended, never deleted."""

    token_hash = peewee.CharField(max_length=64, unique=True)
    person = peewee.ForeignKeyField(Person)
    device = peewee.CharField(max_length=80)
    shared = peewee.BooleanField()
    way = peewee.CharField(max_length=12)
    began_at = UtcDateTimeField()
    seen_at = UtcDateTimeField()
    ended_at = UtcDateTimeField(null=True)
    device_hash = peewee.CharField(max_length=64, null=True)
    proved_at = UtcDateTimeField(null=True)


class SignInEvent(Record):
    """A failed try, a lock, a new device, an invitation or a restore, for the lead to see."""

    person_id: int | None
    kind = peewee.CharField(max_length=20)
    person = peewee.ForeignKeyField(Person, null=True)
    name = peewee.CharField(max_length=80)
    address = peewee.CharField(max_length=64)
    device = peewee.CharField(max_length=80)
    detail = peewee.CharField(max_length=200)
    tries = peewee.IntegerField()
    first_at = UtcDateTimeField()
    last_at = UtcDateTimeField()


class RecordSeal(Record):
    """The digest chain over the rows of one table up to one row, with the shop's MAC; append-only."""

    table_name = peewee.CharField(max_length=40)
    columns_json = peewee.TextField()
    after_id = peewee.IntegerField()
    last_id = peewee.IntegerField()
    row_count = peewee.IntegerField()
    chain = peewee.CharField(max_length=64)
    mac = peewee.CharField(max_length=64)
    closed_at = UtcDateTimeField()


class ArchiveImport(Record):
    """An archive that was imported, by whom; append-only."""

    shop = peewee.CharField(max_length=200)
    shop_uid = peewee.CharField(max_length=36)
    known = peewee.BooleanField()
    imported_at = UtcDateTimeField()
    imported_by = peewee.CharField(max_length=80)


class CallImport(Record):
    """The import a call came with; append-only."""

    id = None
    import_id: int
    call = peewee.ForeignKeyField(ServiceCall, primary_key=True)
    source = peewee.ForeignKeyField(ArchiveImport, column_name="import_id")


class Invitation(Record):
    """A word that lets a person choose a passphrase, once."""

    token_hash = peewee.CharField(max_length=64, unique=True)
    person = peewee.ForeignKeyField(Person, backref="invitations")
    made_by = peewee.ForeignKeyField(Person, null=True, backref="invited")
    made_at = UtcDateTimeField()
    ends_at = UtcDateTimeField()
    used_at = UtcDateTimeField(null=True)


class Passkey(Record):
    """A key that lives on a person's device, by its public half."""

    person = peewee.ForeignKeyField(Person)
    key_name = peewee.CharField(max_length=700, unique=True)
    public_key = peewee.TextField()
    sign_count = peewee.BigIntegerField()
    device = peewee.CharField(max_length=80)
    made_at = UtcDateTimeField()
    used_at = UtcDateTimeField(null=True)
    ended_at = UtcDateTimeField(null=True)


class Challenge(Record):
    """What a passkey is to sign, for a few minutes."""

    id = None
    token_hash = peewee.CharField(max_length=64, primary_key=True)
    person_id = peewee.IntegerField(null=True)
    made_at = UtcDateTimeField()


class VainTry(Record):
    """How often a person tried in vain, by a digest of whose name or address it was."""

    id = None
    whose = peewee.CharField(max_length=64, primary_key=True)
    tries = peewee.IntegerField()
    last_at = UtcDateTimeField()


class PushSubscription(Record):
    """Where a device gets reminders while the program is closed on it."""

    session = peewee.ForeignKeyField(SignInSession, unique=True)
    endpoint = peewee.CharField(max_length=1000)
    endpoint_hash = peewee.CharField(max_length=64, unique=True)
    device_key = peewee.CharField(max_length=100)
    device_secret = peewee.CharField(max_length=40)
    made_at = UtcDateTimeField()
    ended_at = UtcDateTimeField(null=True)
    trouble = peewee.CharField(max_length=300, null=True)


class PushMessage(Record):
    """One notice to a device: sent, or when it is retried."""

    subscription = peewee.ForeignKeyField(PushSubscription)
    what = peewee.CharField(max_length=60)
    tries = peewee.IntegerField()
    next_at = UtcDateTimeField()
    sent_at = UtcDateTimeField(null=True)


class Preference(Record):
    """How a person reads figures, dates and hours."""

    id = None
    person = peewee.ForeignKeyField(Person, primary_key=True)
    temperature = peewee.CharField(max_length=1)
    distance = peewee.CharField(max_length=2)
    region = peewee.CharField(max_length=5)
    hours = peewee.IntegerField()
    language = peewee.CharField(max_length=2, default="en")
    changed_at = UtcDateTimeField()


# Who is signed in and by what: the demo loaded again leaves it, an archive never carries it.
SIGN_IN: tuple[type[peewee.Model], ...] = (
    PushMessage,
    PushSubscription,
    Preference,
    VainTry,
    Challenge,
    Passkey,
    Invitation,
    SignInEvent,
    SignInSession,
    Credential,
)

TABLES: tuple[type[peewee.Model], ...] = (
    *SIGN_IN,
    RecordSeal,
    CallImport,
    ArchiveImport,
    ChangeTrail,
    SweepPart,
    SweepRun,
    AnalysisRow,
    PracticeAct,
    PracticeRun,
    PracticeSet,
    ShopFact,
    RequestKept,
    Origin,
    ImportLine,
    ImportBatch,
    AuditRow,
    ShopDetail,
    UnitForecast,
    PlannedVisit,
    TaskStep,
    Task,
    StockWant,
    StockMove,
    PartPrice,
    OwnPart,
    DecisionRow,
    SoundRow,
    TestTaken,
    CoolingClock,
    ShopStandardRow,
    Photo,
    CaptureRow,
    ChangeMade,
    Reading,
    SafetyEventRow,
    MakeSafeRecord,
    PlateMotor,
    PlateCompressor,
    PlateVersion,
    ServiceCall,
    Unit,
    Site,
    Person,
)
