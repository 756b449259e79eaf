"""The bench as a process of its own: a simulated unit and its meters, served by Modbus/TCP."""

import asyncio
import os
import time
from collections.abc import Callable

from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from orange_crank.bench.meter import Meter
from orange_crank.bench.registers import (
    ALL_INPUTS,
    ANALYZER,
    ANALYZER_FROM,
    CONTROLS,
    INPUTS,
    OWN,
    RECORDING,
    analyzer_registers,
    control_registers,
    input_registers,
    recording_registers,
    write_controls,
)

LONGEST_STEP_S = 30.0  # a machine that slept wakes to a unit that did too


class Bench:
    """A meter on a unit in real time, and who looks at it."""

    def __init__(self, meter: Meter, clock: Callable[[], float] = time.monotonic) -> None:
        self.meter = meter
        self.connected = 0
        self.looks = 0
        self._clock = clock
        self._last = clock()
        self._kept: tuple[int, list[int]] | None = None

    def catch_up(self) -> None:
        """Let the unit follow the clock."""
        now = self._clock()
        self.meter.advance(self.meter.unit.now_s + min(LONGEST_STEP_S, max(0.0, now - self._last)))
        self._last = now

    def _recording(self) -> list[int]:
        """Return the recording's registers, worked out once a start."""
        key = getattr(self.meter.unit, "starts", 0)
        if self._kept is None or self._kept[0] != key:
            self._kept = (key, recording_registers(self.meter))
        return self._kept[1]

    def count(self, came: bool) -> None:
        """Count who comes and goes."""
        self.connected = max(0, self.connected + (1 if came else -1))

    async def own(
        self,
        function: int,
        start: int,
        address: int,
        count: int,
        registers: list[int],
        values: list[int] | list[bool] | None,
    ) -> ExcCodes | None:
        """Answer for device 1."""
        self.catch_up()
        if function == 4 and address >= RECORDING:
            held = self._recording()
            wanted = held[address - RECORDING : address - RECORDING + count]
            registers[address : address + count] = wanted + [0] * (count - len(wanted))
            return None
        if function == 4 and address + count > INPUTS:
            return ExcCodes.ILLEGAL_ADDRESS
        if function == 4:
            self.looks += 1
            registers[:INPUTS] = input_registers(self.meter, self.connected, self.looks)
            return None
        if values is not None and not write_controls(self.meter, address, [int(v) for v in values]):
            return ExcCodes.ILLEGAL_VALUE
        registers[:CONTROLS] = control_registers(self.meter)
        return None

    async def analyzer(
        self,
        function: int,
        start: int,
        address: int,
        count: int,
        registers: list[int],
        values: list[int] | list[bool] | None,
    ) -> ExcCodes | None:
        """Answer for device 2."""
        if values is not None:
            return ExcCodes.ILLEGAL_FUNCTION
        self.catch_up()
        registers[: len(registers)] = analyzer_registers(self.meter)
        return None

    def server(self, host: str, port: int) -> ModbusTcpServer:
        """Return the server, to be run in a loop."""

        def block(address: int, count: int) -> list[SimData]:
            return [SimData(address, values=[0] * count, datatype=DataType.REGISTERS)]

        none = [SimData(0, values=[False] * 16, datatype=DataType.BITS)]
        own = SimDevice(OWN, (none, none, block(0, CONTROLS), block(0, ALL_INPUTS)), action=self.own)
        panel = SimDevice(ANALYZER, (none, none, block(ANALYZER_FROM, 4), block(0, 1)), action=self.analyzer)
        return ModbusTcpServer([own, panel], address=(host, port), trace_connect=self.count)

    async def serve(self, host: str, port: int, parent: int | None = None) -> None:
        """Serve until cancelled or until a parent process is gone; the unit lives on between looks."""
        server = self.server(host, port)
        serving = asyncio.ensure_future(server.serve_forever())
        ticking = asyncio.create_task(self._tick(parent))
        try:
            await asyncio.wait((serving, ticking), return_when=asyncio.FIRST_COMPLETED)
        finally:
            ticking.cancel()
            serving.cancel()
            await server.shutdown()  # type: ignore[no-untyped-call]
            await asyncio.sleep(0.05)  # lines that were open are closed by the loop

    async def _tick(self, parent: int | None) -> None:
        while parent is None or os.getppid() == parent:
            self.catch_up()
            await asyncio.sleep(0.05)
