"""Who may do what: one table, role by route, own record or another's; held at the door of every route.

A route without a row here is refused to everybody, and a test of the house fails. The table is printed in
``docs/roles.md`` (``python -m scripts.roles``) and tried row by row.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg
from orange_crank.store import practice
from orange_crank.store.people import PersonOut
from orange_crank.topics import TOPICS

ROLES: tuple[str, ...] = ("technician", "helper", "lead", "office", "learner", "read-only")
EVERYBODY = frozenset(ROLES)
AT_THE_UNIT = frozenset(("technician", "helper", "lead"))
AT_WORK = AT_THE_UNIT | {"office"}
MANAGING = frozenset(("lead", "office"))
LEAD = frozenset(("lead",))
LEARNING = EVERYBODY - {"read-only"}
NOBODY: frozenset[str] = frozenset()

Owner = Callable[[Mapping[str, str]], int | None]


class NotAllowed(CrankError):
    """A person is signed in, and it is not theirs to do."""

    title = msg("Not allowed for your role")


@dataclass(frozen=True)
class Right:
    """Who may do one thing.

    Attributes
    ----------
    words : what it is, as a refusal begins
    own, other : the roles that may, with what is their own and with what is another's
    owner : finds the owner by the address; None where there is none
    owned_by : how the owner is found, in words
    open : no one need be signed in: "yes", "alone" while the server listens to this machine only, or "no"

    """

    words: str
    own: frozenset[str]
    other: frozenset[str]
    owner: Owner | None = None
    owned_by: str = ""
    open: str = "no"


def _same(words: str, roles: frozenset[str], *, open_: str = "no") -> Right:
    return Right(words, roles, roles, open=open_)


def _person(path: Mapping[str, str]) -> int | None:
    said = path.get("person_id", "")
    return int(said) if said.isascii() and said.isdigit() and len(said) < 10 else None


def _learner(path: Mapping[str, str]) -> int | None:
    said = path.get("call_id", "")
    return practice.learner_of(int(said)) if said.isascii() and said.isdigit() and len(said) < 10 else None


OPEN = _same("Signing in, and whether it runs", EVERYBODY, open_="yes")
RECKON = _same("Sums and tables", EVERYBODY, open_="alone")
LOOK = _same("The shop's records", EVERYBODY)
WORK = _same("What was measured and done at a unit", AT_THE_UNIT)
DESK = _same("Calls, places, units, visits and tasks", AT_WORK)
MANAGE = _same("The shop's people, lists, archives and backups", MANAGING)
RULES = _same("The shop's standards, set calls and security", LEAD)
LEARN = _same("Practice", LEARNING)
OWN_RUN = Right("A practice call", LEARNING, NOBODY, _learner, "who began it")
SEEN_RUN = Right("A practice call at the unit", LEARNING, LEAD, _learner, "who began it")
SCORE = Right("A score sheet", LEARNING, LEAD, _learner, "who practised")
VAN = Right("Stock", AT_WORK, AT_WORK, _person, "whose van it is")
VAN_WANTS = Right("What a van shall carry", AT_WORK, AT_WORK, _person, "whose van it is")
CALENDARS = _same("Calendars", EVERYBODY)
INVITE = _same("Invitations", MANAGING)
DEVICES = Right("Devices signed in", EVERYBODY, MANAGING, _person, "who is signed in on it")
MINE = _same("One's own passphrase, PIN, passkeys, reminders and units", EVERYBODY)

GROUPS: tuple[tuple[Right, str], ...] = (
    (
        OPEN,
        "get_health get_ready get_live who_is_signed_in sign_in sign_in_to_demo sign_out look_at_invitation "
        "accept_invitation begin_shop offer_passkey sign_in_by_passkey",
    ),
    (RECKON, "topic_schema get_reference get_handbook get_cited paper_font"),
    (
        LOOK,
        "list_people list_sites list_units page_of_units get_unit time_line export_unit find get_fleet "
        "units_with_lot unit_label list_calls get_call export_readings list_captures compare_captures "
        "list_sounds get_sound get_trace get_capture_file list_photos list_unit_photos get_photo "
        "get_standards start_of_this_call choose_aid_on_call fit_capture get_why list_parts part_columns "
        "export_parts get_van export_restock get_work get_circuit get_hand_over get_options tasks_of_call "
        "paper_as_html paper_as_pdf list_tasks list_visits day_list calls_without_cause get_shop "
        "get_backups get_pack destinations watch_moves list_meters stream wiring_as_svg wiring_as_pdf "
        "begin_sweep get_sweep cancel_sweep get_sweep_file",
    ),
    (
        WORK,
        "save_plate read_plate add_make_safe add_safety_event lift_stop add_reading add_reading_set add_test "
        "add_change add_capture add_sound add_photo start_clock end_clock tell_why skip_test decide "
        "save_plan fit_part decide_kept prove_backup say_source check_as_wired look_at_circuit confirm_cause "
        "agree hand_to arm_meter set_meter switch_unit take_recording",
    ),
    (
        DESK,
        "add_site add_unit edit_unit edit_site open_call edit_call bill pay add_task move_task plan_visit "
        "edit_visit upload look_at_comtrade keep_follow_ups one_unit reload_demo",
    ),
    (VAN, "move_stock"),
    (VAN_WANTS, "want_stock"),
    (
        MANAGE,
        "add_person edit_person get_network get_keeping get_audit get_trail merge_sites merge_units set_shop "
        "import_parts set_price send_archive keep_archive back_up_now import_customers list_imports "
        "take_back whole_shop export_bills list_closed_open",
    ),
    (RULES, "set_standard set_call get_security end_every_session"),
    (LEARN, "practice_home begin_run get_race"),
    (SEEN_RUN, "run_state start_sound"),
    (OWN_RUN, "do_act end_run"),
    (SCORE, "run_score"),
    (CALENDARS, "person_calendar site_calendar"),
    (INVITE, "invite_person"),
    (DEVICES, "list_devices sign_device_out"),
    (
        MINE,
        "change_passphrase change_pin confirm_passphrase hand_over_device subscribe_calendar list_passkeys "
        "begin_passkey keep_passkey drop_passkey get_reminders turn_reminders_on turn_reminders_off "
        "try_reminders set_reads",
    ),
)


def _rows() -> dict[str, Right]:
    found: dict[str, Right] = {f"calc_{topic.replace('-', '_')}": RECKON for topic in TOPICS}
    for right, names in GROUPS:
        for name in names.split():
            assert name not in found, name
            found[name] = right
    return found


RIGHTS: dict[str, Right] = _rows()

# The routes that exist under /practice: they read and write practice records only. Sign-in, people,
# invitations, devices, network, backups, archives, reminders, lists and the demo belong to the shop.
IN_PRACTICE: frozenset[str] = frozenset(
    name for name, right in RIGHTS.items() if right in (RECKON, LOOK, WORK, DESK, VAN, VAN_WANTS)
) - {
    "list_people",
    "get_shop",
    "get_backups",
    "get_pack",
    "destinations",
    "export_unit",
    "one_unit",
    "reload_demo",
}


def refuse(
    right: Right,
    role: str,
    own: bool,
    *,
    practising: bool,
    names: Callable[[frozenset[str]], list[str]] = lambda _: [],
) -> None:
    """Refuse a request that a role may not make.

    On practice records (a route of ``IN_PRACTICE``) every role but read-only has a technician's rights.
    ``names`` returns who in the shop has one of some roles, so that a refusal names the person to ask.

    Raises
    ------
    NotAllowed : the role may not

    """
    roles = right.own if own else right.other
    if practising and roles & AT_WORK and role in LEARNING:
        return
    if role in roles:
        return
    if not own and role in right.own:
        raise NotAllowed(
            msg("You can change only your own: {words}.", words=right.words),
            next_step=_ask(names(right.other)) if right.other else msg("Each does their own."),
        )
    who = [r for r in ROLES if r in roles]
    them = ", ".join(who[:-1]) + (" and " if who[:-1] else "") + who[-1]
    raise NotAllowed(
        msg("{words}: for {them}. You are signed in as {role}.", words=right.words, them=them, role=role),
        next_step=_ask(names(roles)),
    )


def _ask(names: list[str]) -> str:
    return f"Ask {' or '.join(names[:3])}." if names else "Ask the lead."


def may(role: str, *, practising: bool) -> list[str]:
    """Return which groups of routes a role may use, so that a screen offers no more."""
    shop = {"look": LOOK, "work": WORK, "desk": DESK, "manage": MANAGE, "rules": RULES, "practise": LEARN}
    found = []
    for word, right in shop.items():
        if practising and word in ("manage", "rules"):
            continue
        try:
            refuse(right, role, own=True, practising=practising)
        except NotAllowed:
            continue
        found.append(word)
    return found


def refuse_others_practice(path: Mapping[str, str], method: str, who: PersonOut) -> None:
    """Refuse another person's practice call; the lead may look at it.

    Called without an open session, with the practice records selected.

    Raises
    ------
    NotAllowed : it is another person's

    """
    owner = practice.owner_of(path)
    if owner is None or owner == who.id or (who.role == "lead" and method in ("GET", "HEAD")):
        return
    raise NotAllowed(
        msg("This practice call belongs to another person."),
        next_step=msg("Begin your own: Start lab, then Practice."),
    )


def is_own(right: Right, path: Mapping[str, str], who: PersonOut) -> bool:
    """Return whether what an address names is a person's own; what is no one's is everyone's own."""
    if right.owner is None:
        return True
    owner = right.owner(path)
    return owner is None or owner == who.id
