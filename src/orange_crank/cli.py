"""The command line: start, stop, demo data, and every computation by name."""

import contextlib
import errno
import fcntl
import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Annotated, Any

import peewee
import typer
from pydantic import ValidationError

from orange_crank.core.errors import CrankError, input_problem
from orange_crank.serving import is_ours
from orange_crank.topics import TOPICS, calculate, find_topic

app = typer.Typer(
    name="orange-crank",
    help=__doc__,
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)


def _tell(text: str) -> None:
    print(text, flush=True)


def _fail(problem: CrankError, code: int = 2) -> typer.Exit:
    print(problem.problem().model_dump_json(), file=sys.stderr)
    return typer.Exit(code)


def _stop_with(text: str, step: str | None = None) -> typer.Exit:
    print(text + (f"\n  {step}" if step else ""), file=sys.stderr, flush=True)
    return typer.Exit(1)


@app.command()
def calc(
    topic: Annotated[str, typer.Argument(help="One of: " + ", ".join(TOPICS))],
    schema: Annotated[bool, typer.Option(help="Print the JSON Schema of entry and result.")] = False,
    lines: Annotated[bool, typer.Option(help="One JSON object a line in, one a line out.")] = False,
) -> None:
    """Read one JSON object on standard input, print the result as one JSON object."""
    try:
        found = find_topic(topic)
    except CrankError as problem:
        raise _fail(problem) from None
    if schema:
        _tell(json.dumps(found.schema(), ensure_ascii=False))
        return
    if lines:
        for line in sys.stdin.buffer:
            if not line.strip():
                continue
            try:
                answer = calculate(topic, line).model_dump_json()
            except CrankError as problem:
                answer = json.dumps(
                    {"problem": problem.problem().model_dump(mode="json")}, ensure_ascii=False
                )
            print(answer)
        return
    try:
        result = calculate(topic, sys.stdin.buffer.read())
    except CrankError as problem:
        raise _fail(problem) from None
    _tell(result.model_dump_json())


@app.command()
def sweep(
    spec: Annotated[Path, typer.Argument(help="JSON: a start, and what is varied about it.")],
    out: Annotated[Path, typer.Option("--out", "-o", help="CSV to write.")],
) -> None:
    """Compute every combination of a sweep over all cores and write them as CSV."""
    from orange_crank.core.motor.sweep import SweepIn, SweepRow, run_sweep, sweep_size
    from orange_crank.formats.sweep_csv import write_sweep

    try:
        raw = spec.read_bytes()
    except OSError as error:
        raise _stop_with(f"{spec} cannot be read: {error.strerror}.") from None
    begun = time.monotonic()
    try:
        try:
            entry = SweepIn.model_validate_json(raw)
        except ValidationError as error:
            raise input_problem(error) from None
        total = sweep_size(entry)
        count = 0

        def tell(_: int, __: SweepRow) -> None:
            nonlocal count
            count += 1
            if count % max(1, total // 20) == 0:
                print(f"  {count:,} of {total:,}", file=sys.stderr, flush=True)

        found = run_sweep(entry, on_row=tell, processes=True)
    except CrankError as problem:
        raise _fail(problem) from None
    try:
        out.write_text(write_sweep(found), encoding="utf-8")
    except OSError as error:
        raise _stop_with(f"{out} cannot be written: {error.strerror}.") from None
    _tell(f"{total:,} starts in {time.monotonic() - begun:.1f} s, written to {out}.")


@app.command()
def warm() -> None:
    """Compile the start model ahead of its first use."""
    from orange_crank.core.motor.warm import warm as compile_ahead

    _tell(f"The start model is ready ({compile_ahead():.1f} s).")


def _settings(**known: Any) -> Any:
    from orange_crank.settings import Settings
    from orange_crank.store.seal import keep_key_in

    try:
        settings = Settings(**known)
        keep_key_in(settings.data_dir)
        return settings
    except ValidationError as error:
        words = "; ".join(str(e["msg"]).removeprefix("Value error, ") for e in error.errors())
        raise _stop_with(f"A setting cannot be used: {words}.") from None


def _run_folder(settings: Any) -> Path:
    folder: Path = settings.data_dir
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise _stop_with(
            f"The data folder {folder} cannot be made: {error.strerror}.",
            "Set ORANGE_CRANK_DATA_DIR to a folder you may write to.",
        ) from None
    return folder


@contextlib.contextmanager
def _only_one(folder: Path) -> Iterator[IO[str] | None]:
    """Hold the lock of a data folder; None when another process holds it."""
    try:
        file = (folder / "lock").open("a+")
    except OSError as error:
        raise _stop_with(*_why_not(error, folder)) from None
    try:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield None
            return
        yield file
    finally:
        file.close()


def _running(folder: Path) -> dict[str, Any] | None:
    """Return what the running server wrote about itself, or None when none runs."""
    with _only_one(folder) as lock:
        if lock is not None:
            return None
    for _ in range(50):
        try:
            stored: dict[str, Any] = json.loads((folder / "running.json").read_text("utf-8"))
            return stored
        except (OSError, ValueError):
            time.sleep(0.1)
    return {}


def _port_trouble(host: str, port: int) -> tuple[str, str] | None:
    """Return why a port cannot be listened on, and what to do; None where it can."""
    another = f"Choose another: make demo PORT={port + 1 if port >= 1024 else 8420}"
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except PermissionError:
            return f"Port {port} is the system's own: only root may listen below 1024.", another
        except OSError as error:
            if error.errno == errno.EADDRINUSE:
                return f"Port {port} is taken by another program.", another
            return (
                f"Nothing can listen at {host}, port {port}: {error.strerror}.",
                "Leave ORANGE_CRANK_HOST out.",
            )
    return None


@app.command()
def start(
    demo: Annotated[bool, typer.Option(help="Load the demo shop when the records are empty.")] = False,
) -> None:
    """Start the database and the server; Ctrl-C or `orange-crank stop` ends both."""
    _start(_settings(), demo)


@app.command("serve")
def serve_shop(
    workers: Annotated[
        int | None, typer.Option(min=1, max=64, help="Processes that answer; one a core if left out.")
    ] = None,
) -> None:
    """Start a shop's server over several processes, without demo data; `orange-crank stop` ends it."""
    settings = _settings()
    named = workers or (settings.workers if "workers" in settings.model_fields_set else None)
    _start(settings.model_copy(update={"workers": named or os.cpu_count() or 1}), demo=False)


def _start(settings: Any, demo: bool) -> None:
    from orange_crank.certificates import folder_of, renew_if_due

    folder = _run_folder(settings)
    if not is_ours(folder):
        raise _stop_with(
            f"{folder} holds another program's files; nothing was touched.",
            "Set ORANGE_CRANK_DATA_DIR to an empty folder, or to one Orange Crank made.",
        )
    from orange_crank.network import Network

    if demo and not settings.alone:
        raise _stop_with(
            "In the demo everybody signs in by a tap: it is for this machine alone.",
            "Leave ORANGE_CRANK_HOST out, or start a shop of your own: orange-crank start.",
        )
    try:
        address = Network.of(settings).address
    except CrankError as wrong:
        raise _stop_with(wrong.detail, wrong.next_step) from None
    with _only_one(folder) as lock:
        if lock is None:
            already = _running(folder) or {}
            _tell(f"Orange Crank runs already: {already.get('address', address)}   (make stop ends it)")
            return
        if (trouble := _port_trouble(settings.host, settings.port)) is not None:
            raise _stop_with(*trouble)
        if renew_if_due(folder_of(folder)):
            _tell("The server's certificate was near its end and is made again.")
        _serve(settings, folder, address, demo)


def _serve(settings: Any, folder: Path, address: str, demo: bool) -> None:
    from orange_crank.announcing import announced
    from orange_crank.api.request_log import configure_log
    from orange_crank.demo import player
    from orange_crank.keeping import worries
    from orange_crank.network import Network
    from orange_crank.serving import (
        Run,
        connections,
        hand_out_authority,
        make_keeper,
        make_teller,
        own_server,
        serve,
    )
    from orange_crank.store import database, practice, schema
    from orange_crank.store.backup import Keeper
    from orange_crank.store.server import free_port
    from orange_crank.store.shop_facts import is_demo
    from orange_crank.teller import Teller

    server = own_server(settings, _tell)
    state = folder / "running.json"
    bench: subprocess.Popen[bytes] | None = None
    keeper: Keeper | None = None
    teller: Teller | None = None

    def leave(number: int, _: Any) -> None:
        raise SystemExit(128 + number)

    signal.signal(signal.SIGTERM, leave)
    try:
        if server is not None:
            _tell("Starting MariaDB.")
            server.start()
        application, owner = connections(settings, server.port if server is not None else 0)
        database.connect(application, owner)
        database.set_zone(settings.zone)
        applied = schema.lay_out()
        if applied:
            _tell(f"Laid out the records ({', '.join(applied)}).")
        _record_restore(folder)
        if practice.is_laid_out():
            practice.ready()  # what this program's migrations add comes to the records of practice too
        if demo and player.is_empty():
            _tell("Loading the demo shop.")
            player.load()
        with database.session():
            runs_demo = demo and is_demo()
        configure_log(folder / "logs")
        if server is not None:
            server.watch()
        keeper = make_keeper(settings, owner)
        keeper.watch()
        bench_port = settings.bench_port or (free_port() if runs_demo else None)
        if runs_demo and bench_port is not None:
            bench = _start_bench(bench_port)
        port = server.port if server is not None else 0
        state.write_text(json.dumps({"pid": os.getpid(), "address": address, "database_port": port}))
        network = Network.of(settings)
        for worry in worries(keeper, network, database.now()):
            _tell(f"{worry.text} {worry.next_step}")
        teller = make_teller(settings, network, keeper)
        teller.watch()
        threading.Thread(target=_tell_when_it_answers, args=(network, settings), daemon=True).start()
        if network.install_address is not None:
            hand_out_authority(network, settings)
        with announced(settings, network) as name:
            if name is not None:
                _tell(f"Found on this network as https://{name}:{settings.port}.")
            serve(settings, Run(database_port=port, demo=runs_demo, bench_port=bench_port))
    except CrankError as trouble:
        raise _stop_with(trouble.detail, trouble.next_step) from None
    except OSError as error:
        raise _stop_with(*_why_not(error, folder)) from None
    except peewee.DatabaseError as error:
        said = error.args[-1] if error.args else error
        raise _stop_with(
            f"The database refuses to be laid out: {said}.",
            "Give its accounts the rights docs/running-reference.md names, then start again.",
        ) from None
    except KeyboardInterrupt:
        pass
    finally:
        with contextlib.suppress(OSError):
            state.unlink(missing_ok=True)
        for background in (keeper, teller):
            if background is not None:
                background.stop()
        if bench is not None:
            bench.terminate()
            bench.wait(timeout=10)
        if server is not None:
            server.stop()
        _tell("Stopped. Nothing was lost.")


def _tell_when_it_answers(network: Any, settings: Any) -> None:
    """Print the address once something listens there."""
    host = {"0.0.0.0": "127.0.0.1", "::": "::1"}.get(settings.host, settings.host)
    for _ in range(600):
        try:
            socket.create_connection((host, settings.port), timeout=2).close()
        except OSError:
            time.sleep(0.05)
            continue
        _tell(f"\n  Orange Crank: {network.address}\n")
        if network.install_address is not None:
            _tell(f"  A phone comes to trust it by: {network.install_address}\n")
        _tell("  Ctrl-C, or make stop in another window, ends it.")
        return
    _tell(f"Nothing answers at {network.address} yet; look into the log.")


def _why_not(error: OSError, folder: Path) -> tuple[str, str]:
    """Return what kept the server from working, and what to do."""
    if error.errno == errno.ENOSPC:
        return (
            f"The disk that holds {folder} is full.",
            "Make room there, then start again; nothing was lost.",
        )
    if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
        return (
            f"{folder} cannot be written to: {error.strerror}.",
            "Give write permission there, or set ORANGE_CRANK_DATA_DIR to another folder.",
        )
    return f"It cannot go on: {error.strerror or error}.", f"Look into {folder / 'logs'}, then start again."


RESTORED = "restored.json"


def _record_restore(folder: Path) -> None:
    """Record a restore for the lead to see, at the first start after it."""
    from orange_crank.store import database, sign_in_events

    place = folder / RESTORED
    if not place.exists():
        return
    note = json.loads(place.read_text("utf-8"))
    with database.session():
        sign_in_events.record(
            "restored", name=note["file"], detail=f"{_whose(note['ours'])} {note['record']}"
        )
    place.unlink()


def _start_bench(port: int) -> "subprocess.Popen[bytes]":
    """Start the bench as a process of its own; it ends with the server."""
    return subprocess.Popen(
        [sys.executable, "-m", "orange_crank.cli", "bench", "--port", str(port), "--with-parent"],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )


def _recording(path: Path) -> Any:
    """Return a recording's waveform, its columns found by their headings."""
    from orange_crank.core.measure.waveform import Waveform
    from orange_crank.formats.comtrade_files import comtrade_channels, read_comtrade
    from orange_crank.formats.logger_csv import preview_csv, read_csv

    try:
        if path.suffix.lower() == ".cfg":
            dat = path.with_suffix(".dat" if path.suffix == ".cfg" else ".DAT")
            units = [unit.upper() for _, unit in comtrade_channels(path, dat)]
            found = {n: units.index(u) for n, u in (("line_a", "A"), ("line_v", "V")) if u in units}
            if "line_a" not in found:
                raise _stop_with(f"{path} has no channel in amps.")
            made = read_comtrade(path, dat, found)
        else:
            seen = preview_csv(path)
            guessed = {c.guess: c.index for c in reversed(seen.columns)}
            if "time" not in guessed or "amps" not in guessed:
                raise _stop_with(
                    f"{path}: which column is time and which amps cannot be told by its headings.",
                    'Name them like "time_s" and "line_a [A]".',
                )
            found = {"line_a": guessed["amps"]} | ({"line_v": guessed["volts"]} if "volts" in guessed else {})
            made = read_csv(path, seen, guessed["time"], found)
        return Waveform(
            sample_hz=made.sample_hz,
            line_a=made.channels["line_a"],
            line_v=made.channels.get("line_v"),
            hertz=made.hertz or 60.0,
        )
    except OSError as error:
        raise _stop_with(f"{path} cannot be read: {error.strerror}.") from None
    except CrankError as problem:
        raise _fail(problem) from None


@app.command()
def bench(
    port: Annotated[int, typer.Option(min=1, max=65535, help="Port to listen on.")] = 5020,
    host: Annotated[str, typer.Option(help="Address; loopback unless told otherwise.")] = "127.0.0.1",
    seed: Annotated[
        int | None, typer.Option(help="A made-up unit with a hidden fault; left out: the demo's.")
    ] = None,
    with_parent: Annotated[
        bool, typer.Option("--with-parent", help="End with the process that started it.", hidden=True)
    ] = False,
    second: Annotated[
        str | None, typer.Option(help="With --seed: another fault beside it, by its name.")
    ] = None,
    generator_kva: Annotated[
        float | None, typer.Option(min=1, max=500, help="Fed by a generator of that rating.")
    ] = None,
    house_a: Annotated[float, typer.Option(min=0, max=200, help="What else runs on the same source.")] = 0.0,
    replay: Annotated[
        Path | None, typer.Option(help="A recording (CSV as exported, or .cfg) that plays as the unit.")
    ] = None,
) -> None:
    """Serve a unit that is not there, with its meters, by Modbus/TCP until Ctrl-C."""
    import asyncio
    from dataclasses import replace

    from orange_crank.bench.meter import Meter
    from orange_crank.bench.replay import Replay
    from orange_crank.bench.scenarios import PLATES, TALLY, make_case
    from orange_crank.bench.server import Bench
    from orange_crank.bench.unit import Setup, SimulatedUnit, setup_of
    from orange_crank.core.motor.warm import warm as warm_model
    from orange_crank.core.plate import Plate

    def leave(_: int, __: Any) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, leave)
    # The demo's ticket office: a weak run capacitor on a long feeder.
    demo_unit = Setup(
        plate=Plate.model_validate(PLATES[0]), run_cap_uf=38.9, source_ohm=0.16, equal_torque_pct=18.0
    )
    if second is not None and second not in TALLY:
        raise _stop_with(f"No fault is called {second}.", "One of: " + ", ".join(TALLY))
    setup = demo_unit if seed is None else setup_of(make_case(seed, second=second))
    setup = replace(
        setup,
        house_a=house_a,
        source_kind="utility" if generator_kva is None else "generator",
        source_kva=generator_kva,
    )
    unit: SimulatedUnit | Replay = SimulatedUnit(setup)
    if replay is not None:
        unit = Replay(_recording(replay))
    if (trouble := _port_trouble(host, port)) is not None:
        raise _stop_with(trouble[0], "Choose another: --port")
    warm_model()  # a first start that compiles would keep a meter waiting
    print(f"A unit and its meters at {host}:{port} (Modbus/TCP). Ctrl-C ends it.", file=sys.stderr)
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(Bench(Meter(unit)).serve(host, port, os.getppid() if with_parent else None))


def _connect() -> None:
    """Bind the records of the server that runs here."""
    settings = _settings()
    running = _running(settings.data_dir) if settings.data_dir.exists() else None
    if not running:
        raise _stop_with("Nothing runs here.", "Start it first: orange-crank start.")
    from orange_crank.serving import connections
    from orange_crank.store import database

    database.connect(*connections(settings, int(running["database_port"])))


@app.command()
def certificate(
    names: Annotated[
        list[str], typer.Argument(help="What phones call this computer: 192.168.1.20, cooling.example.")
    ],
) -> None:
    """Make the shop's own authority (once) and this server's certificate under it."""
    from orange_crank import certificates

    settings = _settings(host="127.0.0.1")  # whatever address it shall listen on: there is no certificate yet
    folder = certificates.folder_of(_run_folder(settings))
    try:
        wanted = [certificates.refuse_name(one) for one in names]
        authority = certificates.make_authority(folder, "Orange Crank", wanted)
        made = certificates.make_server_certificate(folder, wanted)
        standing = certificates.read_standing(made, folder / "server.key", authority)
    except CrankError as trouble:
        raise _stop_with(trouble.detail, trouble.next_step) from None
    _tell(f"For {', '.join(standing.names)}, good until {standing.ends_at:%Y-%m-%d}; made again by itself.")
    _tell(f"\nThe shop's authority, to compare on each phone (SHA-256):\n  {standing.authority_print}\n")
    _tell(
        f"Start it for the network: ORANGE_CRANK_HOST=0.0.0.0 orange-crank start\n"
        f"Then open on each phone, once: http://{wanted[0]}:{settings.install_port or settings.port + 1}"
    )


@app.command("begin")
def begin_a_shop(
    shop: Annotated[str, typer.Option(prompt="Name of the shop")],
    lead: Annotated[str, typer.Option(prompt="Name of its first lead")],
) -> None:
    """Begin a shop in the running server's empty records; prints the lead's invitation."""
    from orange_crank.store import begin

    _connect()
    from orange_crank.store.database import session

    try:
        with session():
            begin.begin_by_command(shop, lead)
    except ValidationError as error:
        raise _fail(input_problem(error)) from None
    except CrankError as problem:
        raise _fail(problem) from None
    invite(lead)


@app.command()
def invite(
    name: Annotated[str | None, typer.Argument(help="Whom, by name.")] = None,
    person: Annotated[int | None, typer.Option(help="Whom, by number.")] = None,
) -> None:
    """Invite somebody of the running shop to choose a passphrase; for the first lead, and one locked out."""
    import segno

    from orange_crank.store import invitations, people
    from orange_crank.store.database import session

    settings = _settings()
    running = _running(settings.data_dir) if settings.data_dir.exists() else None
    _connect()
    try:
        with session():
            there = people.list_people()
            whom = [p for p in there if p.id == person or (name is not None and p.name == name.strip())]
            if len(whom) != 1:
                names = "; ".join(f'"{p.name}" ({p.role})' for p in there) or "nobody yet"
                raise _stop_with("Whom? The shop's people are: " + names, 'orange-crank invite "Name"')
            made = invitations.invite(whom[0].id, None)
    except CrankError as problem:
        raise _fail(problem) from None
    address = f"{(running or {}).get('address', '')}/join#{made.token}"
    _tell(f"For {made.person.name}, once, until {made.ends_at:%Y-%m-%d %H:%M} UTC:\n\n  {address}\n")
    if sys.stdout.isatty():
        segno.make(address, error="m", micro=False).terminal(compact=True)


@app.command("archive-schema", hidden=True)
def print_archive_schema() -> None:
    """Print the JSON Schema of an archive's tables."""
    from orange_crank.store.archive import archive_schema

    _tell(json.dumps(archive_schema(), indent=1, sort_keys=True))


@app.command("export")
def export_archive(
    out: Annotated[Path, typer.Argument(help="Zip file to write.")],
    unit: Annotated[int | None, typer.Option(help="Only this unit, by its number.")] = None,
) -> None:
    """Write the running server's records as an archive."""
    from orange_crank.api.open_files import open_files
    from orange_crank.store import archive, shop_details
    from orange_crank.store.database import session

    _connect()
    try:
        with session(), out.open("wb") as file:
            name = shop_details.get_shop().details.name
            manifest = archive.write_archive(file, "by command", unit, name, open_files(unit, name))
    except CrankError as problem:
        out.unlink(missing_ok=True)
        raise _fail(problem) from None
    except OSError as error:
        raise _stop_with(f"{out} cannot be written: {error.strerror}.") from None
    _tell(f"{sum(manifest.counts.values()):,} rows written to {out}.")


@app.command("import")
def import_archive(
    source: Annotated[Path, typer.Argument(help="Zip file an export wrote.")],
    keep: Annotated[bool, typer.Option(help="Bring it in; without, only say what it would bring.")] = False,
) -> None:
    """Bring an archive into the running server's records, or say what it would bring."""
    from orange_crank.store import archive
    from orange_crank.store.database import session

    _connect()
    try:
        with session(), source.open("rb") as file:
            report = archive.read_archive(file, keep)
    except CrankError as problem:
        raise _fail(problem) from None
    except OSError as error:
        raise _stop_with(f"{source} cannot be read: {error.strerror}.") from None
    _tell(report.model_dump_json())


@app.command()
def stop() -> None:
    """Stop the running server and its database."""
    settings = _settings()
    folder = settings.data_dir
    if not folder.exists():
        _tell("Nothing runs here.")
        return
    running = _running(folder)
    if not running or "pid" not in running:
        _tell("Nothing runs here.")
        return
    os.kill(int(running["pid"]), signal.SIGTERM)
    for _ in range(400):
        if _running(folder) is None:
            _tell("Stopped.")
            return
        time.sleep(0.1)
    raise _stop_with("It does not stop.", f"Look at process {running['pid']}.")


@app.command("demo")
def demo_reload(
    reload: Annotated[bool, typer.Option(help="Throw all records away and load the demo again.")] = False,
) -> None:
    """Load the demo shop into the running server's records."""
    settings = _settings()
    running = _running(settings.data_dir) if settings.data_dir.exists() else None
    if not running:
        raise _stop_with("Nothing runs here.", "Start it with make demo first.")
    from orange_crank.demo import player
    from orange_crank.serving import connections
    from orange_crank.store import database

    database.connect(*connections(settings, int(running["database_port"])))
    try:
        if reload:
            player.reload()
        elif player.is_empty():
            player.load()
        else:
            raise _stop_with(
                "The records are not empty.", "orange-crank demo --reload loads the demo's own again."
            )
    except CrankError as refusal:
        raise _stop_with(refusal.detail, refusal.next_step) from None
    _tell("The demo shop is loaded.")


def _running_connection(settings: Any) -> Any:
    """Return how to sign in to the records of the server that runs here."""
    running = _running(settings.data_dir) if settings.data_dir.exists() else None
    if not running or "database_port" not in running:
        raise _stop_with("Nothing runs here.", "Start it first: orange-crank start.")
    from orange_crank.serving import connections

    return connections(settings, int(running["database_port"]))[1]


@app.command("backup")
def back_up(
    to: Annotated[Path | None, typer.Option(help="Folder it goes to; the shop's own if left out.")] = None,
) -> None:
    """Back up the running server's records into one file, consistent while it works on."""
    from orange_crank.store.backup import make_backup, verify_backup

    settings = _settings()
    try:
        made = make_backup(
            _running_connection(settings), to or settings.backups, settings.data_dir / "meters"
        )
        manifest = verify_backup(made)
    except CrankError as trouble:
        raise _stop_with(trouble.detail, trouble.next_step) from None
    rows = sum(manifest.counts.values())
    _tell(f"{made}\n{rows:,} rows, {made.stat().st_size / 2**20:.1f} MB, read through and whole.")


def _whose(ours: bool) -> str:
    """Say whether this shop's program wrote a backup."""
    from orange_crank.store.seal import KEY_FILE, NOT_OURS

    if ours:
        return "Written by this shop's program: its seal is right."
    return (
        f"Checksums are right, but it is {NOT_OURS}: its seal is missing or made with another key "
        f"({KEY_FILE} of the data folder)."
    )


@app.command("verify")
def verify(file: Annotated[Path, typer.Argument(help="The backup.")]) -> None:
    """Read a backup through and tell whether it is whole; nothing is touched."""
    from orange_crank.store.backup import verify_backup

    _settings()
    try:
        manifest = verify_backup(file)
    except CrankError as trouble:
        raise _stop_with(trouble.detail, trouble.next_step) from None
    _tell(f"Whole: {sum(manifest.counts.values()):,} rows of {manifest.made_at:%Y-%m-%d %H:%M} UTC.")
    _tell(_whose(manifest.ours))


@app.command("restore")
def restore(file: Annotated[Path, typer.Argument(help="The backup.")]) -> None:
    """Put a backup in the place of the records; what was there is kept beside it."""
    from orange_crank.store.backup import restore_backup

    settings = _settings()
    folder = _run_folder(settings)
    with _only_one(folder) as lock:
        if lock is None:
            raise _stop_with("Orange Crank runs here.", "Stop it first: make stop.")
        try:
            done = restore_backup(file, folder, _tell)
            note = {"file": file.name, "ours": done.ours, "record": done.record.text}
            (folder / RESTORED).write_text(json.dumps(note), "utf-8")
        except CrankError as trouble:
            raise _stop_with(trouble.detail, trouble.next_step) from None
    _tell("Restored." + (f" The earlier records are in {done.kept}." if done.kept is not None else ""))
    _tell(f"{_whose(done.ours)} {done.record.text}")


@app.command("drill")
def drill(
    file: Annotated[Path | None, typer.Argument(help="The backup; the newest of the shop's own.")] = None,
) -> None:
    """Restore a backup aside, look it over and throw it away, to know that it comes back."""
    from orange_crank.store.backup import list_backups, try_restore

    settings = _settings()
    newest = next(iter(list_backups(settings.backups)), None)
    if file is None and newest is None:
        raise _stop_with(f"No backup lies in {settings.backups}.", "Make one: orange-crank backup.")
    path = file if file is not None else settings.backups / newest.name  # type: ignore[union-attr]
    try:
        found = try_restore(path, _run_folder(settings))
    except CrankError as trouble:
        raise _stop_with(trouble.detail, trouble.next_step) from None
    if not found.ok:
        raise _stop_with(
            f"{path.name} does not come back: {found.said}", "Make another backup, and try that."
        )
    _tell(f"{path.name} comes back: {found.said}")


@app.command("new-password")
def new_password() -> None:
    """Make a new password for the database's account where its file was lost; the records stay."""
    settings = _settings()
    if settings.data_dir.exists() and _running(settings.data_dir) is not None:
        raise _stop_with("Orange Crank runs here: its password is in use.", "Stop it first: make stop.")
    from orange_crank.store.server import MariaDbServer

    server = MariaDbServer(settings.data_dir / "mariadb")
    if not (server.data / "mysql").is_dir():
        raise _stop_with(f"There are no records in {server.data}.", "Start the product; it lays out its own.")
    server.write_secret()
    _tell("A new password is made; it holds from the next start. The records are as they were.")


@app.command()
def openapi() -> None:
    """Print the OpenAPI description of the server."""
    from orange_crank.api.app import create_app

    _tell(json.dumps(create_app().openapi(), ensure_ascii=False, indent=1, sort_keys=True))


def main() -> None:
    """Run the command line."""
    try:
        app()
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)


if __name__ == "__main__":
    main()
