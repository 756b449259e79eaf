"""Meters read live over Modbus/TCP: values as they come, a shot armed, a dead record contradicted.

Nothing is kept between requests: each screen that listens has its own line to the meter.
"""

import asyncio
import time
from collections.abc import AsyncGenerator, AsyncIterator
from contextlib import suppress
from dataclasses import dataclass
from ipaddress import ip_address
from pathlib import Path
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Query, Request
from fastapi import Path as InPath
from pydantic import Field
from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from orange_crank.api.door import Device, Who, while_signed_in
from orange_crank.api.keyed import Key as RequestKey
from orange_crank.core.errors import CrankError, FieldProblem, InputProblem, OutOfReach
from orange_crank.core.measure.live_meter import Fill, fill_of
from orange_crank.core.measure.meter import Conductor
from orange_crank.core.measure.waveform import Waveform
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.formats.meter_map import (
    SHIPPED,
    VOLTS,
    MeterMap,
    Register,
    Shown,
    blocks,
    figure_of,
    read_map,
    samples_of,
    shipped_map,
    shown,
)
from orange_crank.store import captures
from orange_crank.store.calls.safety import volts_seen
from orange_crank.store.database import now, session
from orange_crank.store.errors import NotFound
from orange_crank.store.once import once

router = APIRouter(prefix="/api/meters", tags=["meters"])

ANSWERS_WITHIN_S = 1.0
AGAIN_AFTER_S = 0.7
STANDS_STILL_S = 2.5  # a count that does not move: the meter answers and does not look
TOLD_EVERY_S = 1.0
HELD_EVERY_S = 0.3  # values are compared with a dead record so often
PING_EVERY_S = 15


@dataclass(frozen=True)
class MeterBench:
    """Where meters are looked for.

    Parameters
    ----------
    port : of the bench that runs with this server; None where none does
    folder : of the shop's own maps, as ``<key>.yaml``
    hosts : machines beside this one that meters may be on

    """

    port: int | None = None
    folder: Path | None = None
    hosts: frozenset[str] = frozenset()

    def known(self) -> list[str]:
        """Return the keys of all maps: those that ship where the bench runs, and the shop's own."""
        own = (
            sorted(p.stem for p in self.folder.glob("*.yaml")) if self.folder and self.folder.is_dir() else []
        )
        return [*(SHIPPED if self.port is not None else ()), *(k for k in own if k not in SHIPPED)]

    def find(self, key: str) -> MeterMap:
        """Return a map, with the machine it is on.

        Raises
        ------
        NotFound : no such map
        InputProblem : the map cannot be used, by its line

        """
        if key not in self.known():
            raise NotFound(msg("No meter is called {key}.", key=key), next_step=msg("Pick one of the list."))
        if key in SHIPPED:
            return shipped_map(key).model_copy(update={"port": self.port})
        assert self.folder is not None
        found = read_map((self.folder / f"{key}.yaml").read_text("utf-8", "replace"))
        if not self._allowed(found.host):
            raise InputProblem(
                [
                    FieldProblem(
                        field="host", wanted=msg("this machine, or one the settings name"), got=found.host
                    )
                ],
                next_step=msg("Name it in ORANGE_CRANK_METER_HOSTS and start again."),
            )
        if found.port is None and self.port is None:
            raise InputProblem(
                [FieldProblem(field="port", wanted=msg("the port the meter answers on"), got=None)],
                next_step=msg("Add it to the map."),
            )
        return found if found.port is not None else found.model_copy(update={"port": self.port})

    def _allowed(self, host: str) -> bool:
        with suppress(ValueError):
            if ip_address(host).is_loopback:
                return True
        return host == "localhost" or host in self.hosts


class MeterOut(Frozen):
    """A meter that may be read."""

    key: str
    name: str
    where: str
    can_arm: bool
    records: bool = Field(description="Whether it holds the last start as a recording")
    modes: list[str] = Field(description="What its dial can be turned to, where it can be told")
    places: list[str]
    trouble: str | None = Field(description="Why its map cannot be used, where it cannot")


class LiveValue(Frozen):
    """A value as it comes, and what it may be taken as."""

    shown: Shown
    fill: Fill | None


class LiveValues(Frozen):
    """What a meter gives at one moment."""

    values: list[LiveValue]
    connected: int | None = Field(description="How many read this meter, where it tells")
    waits: bool = Field(description="Armed, and the shot not spent yet")
    mode: str | None = Field(description="Where its dial stands, where it tells")
    place: str | None = Field(description="Where its probes are, where it tells")
    switches: dict[str, bool] = Field(description="Switches of a simulated unit, and how they stand")


class Lost(Frozen):
    """Why nothing comes, and what to do."""

    detail: str
    next_step: str


class Setting(Frozen):
    """Where a meter's dial and probes go."""

    mode: str = Field(max_length=20)
    place: str = Field(max_length=20)


class Switching(Frozen):
    """A switch of a simulated unit, and its new position."""

    what: str = Field(max_length=20)
    on: bool


Key = Annotated[str, InPath(pattern=r"^[A-Za-z0-9_-]{1,40}$")]


@router.get("")
def list_meters(request: Request) -> list[MeterOut]:
    """Return the meters that may be read."""
    bench: MeterBench = request.app.state.meters
    found = []
    for key in bench.known():
        try:
            m = bench.find(key)
        except CrankError as problem:
            found.append(
                MeterOut(
                    key=key,
                    name=key,
                    where="",
                    can_arm=False,
                    records=False,
                    modes=[],
                    places=[],
                    trouble=problem.detail,
                )
            )
            continue
        dial = m.dial
        found.append(
            MeterOut(
                key=key,
                name=m.name,
                where=f"{m.host}:{m.port}",
                can_arm=m.arm is not None,
                records=m.recording is not None,
                modes=list(dial.modes) if dial else [],
                places=list(dial.places) if dial else [],
                trouble=None,
            )
        )
    return found


@router.post("/{key}/arm")
async def arm_meter(key: Key, request: Request, _: Who) -> Lost | None:
    """Arm a meter's one-shot again."""
    m: MeterMap = request.app.state.meters.find(key)
    if m.arm is None:
        raise InputProblem(
            [FieldProblem(field="arm", wanted=msg("a meter whose map shows how it is armed"), got=m.name)],
            next_step=msg("Arm it by its own key."),
        )
    await _write(m, m.arm.address, [m.arm.value])
    return None


@router.post("/{key}/dial")
async def set_meter(key: Key, setting: Setting, request: Request, _: Who) -> Lost | None:
    """Turn a meter's dial and move its probes, where its map has a way."""
    m: MeterMap = request.app.state.meters.find(key)
    if m.dial is None or setting.mode not in m.dial.modes or setting.place not in m.dial.places:
        known = ", ".join(m.dial.modes) if m.dial else "nothing: its dial is turned by hand"
        raise InputProblem(
            [FieldProblem(field="mode", wanted=known, got=f"{setting.mode} at {setting.place}")],
            next_step=msg("Pick a mode and a place of this meter."),
        )
    await _write(m, m.dial.address, [m.dial.modes[setting.mode], m.dial.places[setting.place]])
    return None


@router.post("/{key}/switch")
async def switch_unit(key: Key, switching: Switching, request: Request, _: Who) -> Lost | None:
    """Move a switch of a simulated unit, where the meter's map knows one."""
    m: MeterMap = request.app.state.meters.find(key)
    if switching.what not in m.switches:
        known = ", ".join(m.switches) or "nothing: this is no simulated unit"
        raise InputProblem(
            [FieldProblem(field="what", wanted=known, got=switching.what)],
            next_step=msg("Switch a real unit at the unit."),
        )
    await _write(m, m.switches[switching.what], [int(switching.on)])
    return None


@router.post("/{key}/recording", status_code=201)
async def take_recording(
    key: Key,
    request: Request,
    who: Who,
    once_key: RequestKey,
    call: Annotated[int, Query(ge=1, le=2**31 - 1, description="The call it is kept on")],
) -> captures.CaptureOut:
    """Keep the start a meter recorded last as a recording of a call."""
    m: MeterMap = request.app.state.meters.find(key)
    wave, place = await _recorded(m)

    def keep() -> captures.CaptureOut:
        conductor: Conductor | None = (
            "common" if place == "common" else "whole_unit" if place == "whole_unit" else None
        )
        number = captures.save_capture(call, f"Start, {m.name}", wave, [], who.id, conductor, stamp=now())
        return captures.get_capture(number)

    def run() -> captures.CaptureOut:
        with session():
            return once(
                once_key, keep, lambda number: captures.get_capture(number or 0), lambda made: made.id
            )

    return await run_in_threadpool(run)


async def _recorded(m: MeterMap) -> tuple[Waveform, str]:
    """Return what a meter recorded last, and on which wire.

    Raises
    ------
    InputProblem : it holds no recording
    OutOfReach : it does not answer

    """
    held = m.recording
    if held is None:
        raise InputProblem(
            [FieldProblem(field="recording", wanted=msg("a meter that records starts"), got=m.name)],
            next_step=msg("Import its file instead, under Waveforms."),
        )
    client = AsyncModbusTcpClient(m.host, port=m.port or 502, timeout=ANSWERS_WITHIN_S, retries=0)
    ask = client.read_input_registers if held.function == "input" else client.read_holding_registers

    async def words(first: int, count: int) -> list[int]:
        answer = await ask(first, count=count, device_id=m.device)
        if answer.isError() or len(answer.registers) < count:
            raise ModbusException("an answer cut short")
        return list(answer.registers)

    try:
        if not await client.connect():
            raise ModbusException("no connection")
        [count], [rate] = await words(held.count, 1), await words(held.rate, 1)
        hertz = (await words(held.hertz, 1))[0] if held.hertz is not None else 60
        if count == 0:
            raise InputProblem(
                [FieldProblem(field="recording", wanted=msg("a start the meter has seen"), got="none yet")],
                next_step=msg("Start the unit with the meter connected, then take it."),
            )
        found: list[int] = []
        while len(found) < 2 * count:
            found += await words(held.first + len(found), min(120, 2 * count - len(found)))
    except (ModbusException, OSError, TimeoutError) as error:
        raise OutOfReach(
            msg("{name} does not give its recording: {error}.", name=m.name, error=str(error)[:80]),
            next_step=msg("Look at the meter and its line, then take it again."),
        ) from None
    finally:
        client.close()
    amps, volts = samples_of(held, found)
    return Waveform(
        sample_hz=float(rate), line_a=np.array(amps), line_v=np.array(volts), hertz=float(hertz)
    ), held.place


async def _write(m: MeterMap, address: int, values: list[int]) -> None:
    client = AsyncModbusTcpClient(m.host, port=m.port or 502, timeout=ANSWERS_WITHIN_S, retries=0)
    try:
        if not await client.connect():
            raise ModbusException("no connection")
        answer = await client.write_registers(address, values, device_id=m.device)
        if answer.isError():
            raise ModbusException(str(answer))
    except (ModbusException, OSError, TimeoutError) as error:
        raise OutOfReach(
            msg("{name} does not take it: {error}.", name=m.name, error=str(error)[:80]),
            next_step=msg("Look at the meter and its line."),
        ) from None
    finally:
        client.close()


@router.get(
    "/{key}/stream",
    response_class=EventSourceResponse,
    responses={200: {"model": LiveValues | Lost, "description": "Events: values, lost"}},
)
async def stream(
    key: Key,
    request: Request,
    who: Device,
    call: Annotated[int | None, Query(ge=1, le=2**31 - 1, description="The call it is read on")] = None,
) -> EventSourceResponse:
    """Stream a meter's values (``values``), or the reason for none (``lost``), as server-sent events."""
    m: MeterMap = request.app.state.meters.find(key)

    async def events() -> AsyncGenerator[ServerSentEvent]:
        said, told_at, held_at = "", 0.0, 0.0
        async for one in values_of(m):
            due = time.monotonic() - held_at >= HELD_EVERY_S
            if due and isinstance(one, LiveValues) and call is not None:
                held_at = time.monotonic()
                await contradict(call, who.person.id, one)
            name, body = ("lost" if isinstance(one, Lost) else "values"), one.model_dump_json()
            if body != said or time.monotonic() - told_at > TOLD_EVERY_S:
                said, told_at = body, time.monotonic()
                yield ServerSentEvent(event=name, data=body)

    return EventSourceResponse(while_signed_in(request, events()), ping=PING_EVERY_S)


async def contradict(call: int, person: int, now: LiveValues) -> None:
    """Write a stop where a meter sees volts on a unit recorded as dead."""
    seen = [
        (v.shown.place, v.shown.value)
        for v in now.values
        if v.shown.quantity in VOLTS and v.shown.value is not None
    ]
    if not any(volts > 1.0 for _, volts in seen):
        return

    def write() -> None:
        with session():
            volts_seen(call, seen, person)

    with suppress(CrankError):
        await run_in_threadpool(write)


async def values_of(m: MeterMap) -> AsyncIterator[LiveValues | Lost]:
    """Yield what a meter gives, look after look; where it is lost say so and try again."""
    more = [r for r in (m.count, m.connected, m.armed) if r is not None]
    if m.dial is not None:
        more += [Register(address=m.dial.address), Register(address=m.dial.address + 1)]
    wanted: list[Register] = [*m.values, *more, *(Register(address=a) for a in m.switches.values())]
    count, moved_at = -1.0, time.monotonic()
    while True:
        client = AsyncModbusTcpClient(m.host, port=m.port or 502, timeout=ANSWERS_WITHIN_S, retries=0)
        try:
            if not await client.connect():
                raise ModbusException("no connection")
            while True:
                begun = time.monotonic()
                words = await _look(client, m.device, wanted)
                if m.count is not None:
                    now = figure_of(m.count, words[m.count.function, m.count.address])
                    if now != count:
                        count, moved_at = now, begun
                if m.count is not None and begun - moved_at > STANDS_STILL_S:
                    yield Lost(
                        detail=msg("{name} answers, but its display is frozen.", name=m.name),
                        next_step=msg("Look at the meter: hold, sleep or a weak battery."),
                    )
                else:
                    yield _values(m, words)
                await asyncio.sleep(max(0.0, m.poll_ms / 1000 - (time.monotonic() - begun)))
        except (ModbusException, OSError, TimeoutError, KeyError, ValueError) as error:
            yield Lost(
                detail=msg(
                    "{name} does not answer at {host}:{port} ({error}).",
                    name=m.name,
                    host=m.host,
                    port=m.port,
                    error=str(error)[:80],
                ),
                next_step=msg("Look at its line and whether it is on. It is tried again by itself."),
            )
        finally:
            client.close()
        await asyncio.sleep(AGAIN_AFTER_S)


Words = dict[tuple[str, int], list[int]]


def _where(names: dict[str, int], number: int) -> str | None:
    return next((name for name, n in names.items() if n == number), None)


async def _look(client: AsyncModbusTcpClient, device: int, wanted: list[Register]) -> Words:
    """Return the words of each register asked for."""
    found: Words = {}
    for function, first, count in blocks(wanted):
        ask = client.read_input_registers if function == "input" else client.read_holding_registers
        answer = await ask(first, count=count, device_id=device)
        if answer.isError():
            raise ModbusException(str(answer))
        if len(answer.registers) < count:
            raise ModbusException("an answer cut short")
        for r in wanted:
            if r.function == function and first <= r.address and r.address + r.words <= first + count:
                at = r.address - first
                found[function, r.address] = list(answer.registers[at : at + r.words])
    return found


def _values(m: MeterMap, words: Words) -> LiveValues:
    now = [shown(v, words[v.function, v.address]) for v in m.values]
    line_v = next((s.value for s in now if s.quantity == "line_v" and s.value), None)
    return LiveValues(
        values=[
            LiveValue(
                shown=s,
                fill=None if s.value is None else fill_of(s.quantity, s.place, s.mode, s.value, line_v),
            )
            for s in now
        ],
        connected=(
            int(figure_of(m.connected, words[m.connected.function, m.connected.address]))
            if m.connected is not None
            else None
        ),
        waits=m.armed is not None and figure_of(m.armed, words[m.armed.function, m.armed.address]) != 0,
        mode=_where(m.dial.modes, words["holding", m.dial.address][0]) if m.dial else None,
        place=_where(m.dial.places, words["holding", m.dial.address + 1][0]) if m.dial else None,
        switches={name: words["holding", address][0] != 0 for name, address in m.switches.items()},
    )
