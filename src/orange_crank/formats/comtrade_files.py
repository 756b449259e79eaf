"""COMTRADE (IEEE C37.111) records: read with the comtrade package, written here (1999 revision)."""

import io
import math
import re
from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Literal

import comtrade
import numpy as np

from orange_crank.core.messages import msg
from orange_crank.formats.recording import FileProblem, Recording, factor_of, uniform

# A record without a date is stamped with the first year there is, or 1970.
NO_DATE = 1970
MOST_CFG_BYTES, MOST_CHANNELS = 2**21, 999
_CHANNELS = re.compile(r"\s*\d{1,9}\s*,\s*(\d{1,9})\s*[Aa]\s*,\s*(\d{1,9})\s*[Dd]")
_RATE = re.compile(r"\s*[-+0-9.eE]+\s*,\s*(\d{1,30})\s*$")


def read_comtrade(
    cfg: Path, dat: Path, channels: dict[str, int], ratios: Mapping[str, float | None] | None = None
) -> Recording:
    """Read a record's configuration and data files.

    Parameters
    ----------
    cfg, dat : the two files
    channels : analog channel number by the name it shall have
    ratios : what a clamp or probe gives, by name: amps or volts a unit of the channel

    Raises
    ------
    FileProblem : the two do not fit each other, or hold no such channel
    InputProblem : a clamp's volts without its ratio, or amps where volts belong

    """
    record = _load(cfg, dat)
    names = list(record.analog_channel_ids)
    for name, index in channels.items():
        if not 0 <= index < len(names):
            raise FileProblem(
                msg(
                    "{name}: there is no analog channel {index}; the record has {names}.",
                    name=name,
                    index=index + 1,
                    names=len(names),
                )
            )
    time = np.asarray(record.time, dtype=float)
    units = {name: record.cfg.analog_channels[i].uu for name, i in channels.items()}
    columns = {
        name: np.asarray(record.analog[i], dtype=float)
        * factor_of(name, units[name], (ratios or {}).get(name))
        for name, i in channels.items()
    }
    made = uniform(time, columns, {n: {"line_a": "A", "line_v": "V"}.get(n, units[n]) for n in channels})
    stamp = record.start_timestamp
    return replace(
        made,
        stamp=stamp if isinstance(stamp, datetime) and stamp.year > NO_DATE else None,
        hertz=float(record.frequency) if record.frequency else None,
    )


def comtrade_channels(cfg: Path, dat: Path) -> list[tuple[str, str]]:
    """Return names and units of a record's analog channels."""
    record = _load(cfg, dat)
    return [(c.name, c.uu) for c in record.cfg.analog_channels]


def _load(cfg: Path, dat: Path) -> "comtrade.Comtrade":
    for path, what in ((cfg, "configuration (.cfg)"), (dat, "data (.dat)")):
        if path.stat().st_size == 0:
            raise FileProblem(
                msg("The {what} file is empty.", what=what), next_step=msg("Send both files of the record.")
            )
    _refuse_promises(cfg, dat)
    record = comtrade.Comtrade(ignore_warnings=True)
    try:
        record.load(str(cfg), str(dat))
    except Exception as error:
        # The package raises whatever its parsing meets: value, index, unicode and struct errors.
        raise FileProblem(
            msg("The record cannot be read: {name}.", name=str(error)[:200] or type(error).__name__),
            next_step=msg("Send the .cfg and the .dat of one record; they must belong together."),
        ) from error
    _refuse_cut(record, dat)
    if not record.analog_count or record.total_samples < 16:
        raise FileProblem(msg("The record holds no analog samples."))
    return record


def _refuse_promises(cfg: Path, dat: Path) -> None:
    """Refuse a configuration that speaks of more than its data file can hold, before room is made for it.

    Notes
    -----
    A sample takes two bytes a channel and eight beside them in a binary file, and two characters a field in a
    written one. What cannot be read here is left to the reader, whose own room is bounded by these lines.

    """
    if cfg.stat().st_size > MOST_CFG_BYTES:
        raise FileProblem(
            msg(
                "The configuration (.cfg) is over {most_cfg_bytes} MB: it is another file.",
                most_cfg_bytes=MOST_CFG_BYTES // 2**20,
            ),
            next_step=msg("Send the .cfg and the .dat of one record."),
        )
    lines = cfg.read_text("utf-8", "replace").splitlines()
    counts = _CHANNELS.match(lines[1]) if len(lines) > 1 else None
    if counts is None:
        raise FileProblem(
            msg("The configuration (.cfg) does not say how many channels there are."),
            next_step=msg("Send the .cfg and the .dat of one record."),
        )
    analog, digital = int(counts[1]), int(counts[2])
    if analog + digital > MOST_CHANNELS or analog + digital + 4 > len(lines):
        raise FileProblem(
            msg(
                "The configuration speaks of {analog:,} channels; its lines name fewer.",
                analog=analog + digital,
            ),
            next_step=msg("Copy both files from the recorder again."),
        )
    rates = lines[2 + analog + digital + 1 :]
    said = [int(hit[1]) for line in rates if (hit := _RATE.match(line))]
    wanted, size = max(said, default=0), dat.stat().st_size
    if any("ASCII" in line.upper() for line in rates):
        have = size // (2 * (analog + digital) + 2)
    else:
        have = size // (8 + 2 * analog + 2 * math.ceil(digital / 16))
    if wanted > have + 1:
        raise FileProblem(
            msg("The data file breaks off after {have:,} of {wanted:,} samples.", have=have, wanted=wanted),
            next_step=msg("Copy both files from the recorder again."),
        )


def _refuse_cut(record: "comtrade.Comtrade", dat: Path) -> None:
    """Refuse a data file shorter than its configuration says."""
    widths = {"BINARY": 2, "BINARY32": 4, "FLOAT32": 4}
    width = widths.get(record.ft.upper())
    if width is None:
        return
    row = 8 + width * record.analog_count + 2 * math.ceil(record.status_count / 16)
    have, wanted = dat.stat().st_size // row, record.total_samples
    if have < wanted:
        raise FileProblem(
            msg("The data file breaks off after {have:,} of {wanted:,} samples.", have=have, wanted=wanted),
            next_step=msg("Copy both files from the recorder again."),
        )


def write_comtrade(
    recording: Recording, kind: Literal["ASCII", "BINARY"] = "BINARY", moment: datetime | None = None
) -> tuple[str, bytes]:
    """Return configuration text and data bytes of a record (C37.111-1999).

    Parameters
    ----------
    recording : channels on a uniform time base
    kind : how the samples are written; sixteen bits either way
    moment : first sample's time where the recording has none of its own; the present if left out

    """
    names = list(recording.channels)
    values = np.column_stack([recording.channels[n] for n in names])
    reach = np.maximum(np.abs(values).max(axis=0), 1e-9)
    gain = reach / 32_000
    whole = np.rint(values / gain).astype(np.int16)
    count = len(values)
    stamp = (recording.stamp or moment or datetime.now(UTC)).strftime("%d/%m/%Y,%H:%M:%S.%f")
    lines = [f"Orange Crank,capture,1999\r\n{len(names)},{len(names)}A,0D\r\n"]
    for i, name in enumerate(names):
        unit = recording.units.get(name, "")
        lines.append(f"{i + 1},{name},,,{unit},{gain[i]:.9e},0,0,-32000,32000,1,1,P\r\n")
    lines.append(f"{recording.hertz or 60:g}\r\n1\r\n{recording.sample_hz:.6f},{count}\r\n")
    lines.append(f"{stamp}\r\n{stamp}\r\n{kind}\r\n1\r\n")
    micros = np.rint(np.arange(count) * 1e6 / recording.sample_hz).astype(np.int64)
    if kind == "ASCII":
        text = io.StringIO()
        for n in range(count):
            text.write(f"{n + 1},{micros[n]}," + ",".join(str(v) for v in whole[n]) + "\r\n")
        return "".join(lines), text.getvalue().encode("ascii")
    rows = np.empty(count, dtype=[("n", "<u4"), ("t", "<u4"), ("v", "<i2", (len(names),))])
    rows["n"], rows["t"], rows["v"] = np.arange(1, count + 1), micros, whole
    return "".join(lines), rows.tobytes()
