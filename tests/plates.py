"""Nameplates that never were, as cameras see them: sun, shade, tilt, blur, scratches, worn letters."""

import random
from dataclasses import dataclass, field
from io import BytesIO

import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont
from scipy.ndimage import gaussian_filter

from orange_crank.core.plate.arithmetic import circuit_figures
from orange_crank.core.tables import is_standard

LIGHTS = ("plain", "sun", "shade", "tilt", "scratched", "worn", "dark")


@dataclass
class MadePlate:
    """A picture, and what truly stands on it."""

    jpeg: bytes
    truth: dict[str, str] = field(default_factory=dict)


def _figures(rng: random.Random) -> dict[str, str]:
    rla = round(rng.uniform(5, 34), 1)
    fla = round(rng.uniform(0.5, 2.4), 1)
    worked = circuit_figures([rla], [fla])
    run = rng.choice([25, 30, 35, 40, 45, 50, 55, 60, 70])
    code = "".join(rng.choice("ABCDEFGHJKLMNPRTVWX") for _ in range(3))
    assert is_standard(worked.mocp_a)
    return {
        "model": f"{code}{rng.randint(18, 60)}-{rng.randint(100, 999)}",
        "serial": f"{rng.randint(10, 25)}{rng.randint(10, 52)}{rng.choice('EKMTW')}"
        f"{rng.randint(10000, 99999)}",
        "volts": rng.choice(["208/230", "230", "115", "460", "240"]),
        "phase": "1",
        "hertz": "60",
        "rla_a": f"{rla:g}",
        "lra_a": f"{round(rla * rng.uniform(4.6, 6.6)):g}",
        "fla_a": f"{fla:g}",
        "mca_a": f"{round(worked.mca_a + 1e-9, 1):g}",
        "mocp_a": f"{worked.mocp_a:g}",
        "run_cap_uf": f"{run}",
        "fan_cap_uf": rng.choice(["5", "7.5", "10"]),
        "refrigerant": rng.choice(["R-410A", "R-454B", "R-22", "R-32"]),
    }


def _rows(truth: dict[str, str], layout: int) -> list[list[str]]:
    t = truth
    caps = f"{t['run_cap_uf']}/{t['fan_cap_uf']}"
    if layout == 0:
        return [
            ["MODEL NO.", t["model"]], ["SERIAL NO.", t["serial"]],
            ["VOLTS", t["volts"], "PHASE", t["phase"], "HERTZ", t["hertz"]],
            ["COMPRESSOR", "RLA", t["rla_a"], "LRA", t["lra_a"]],
            ["FAN MOTOR", "FLA", t["fla_a"]],
            ["MINIMUM CIRCUIT AMPACITY", t["mca_a"]],
            ["MAXIMUM FUSE OR BREAKER", t["mocp_a"]],
            ["CAPACITOR", caps, "MFD 440 V"], ["REFRIGERANT", t["refrigerant"]],
        ]  # fmt: skip
    if layout == 1:
        return [
            ["MODEL", t["model"], "SERIAL", t["serial"]],
            ["", "VOLTS", "PH", "HZ", "RLA", "LRA"],
            ["COMPR", t["volts"], t["phase"], t["hertz"], t["rla_a"], t["lra_a"]],
            ["FAN MTR", "FLA", t["fla_a"], "HP", "1/4"],
            ["MCA", t["mca_a"], "MOCP", t["mocp_a"]],
            ["RUN CAP", caps], ["REFRIG", t["refrigerant"]],
        ]  # fmt: skip
    return [
        ["MOD.", t["model"]], ["SER.", t["serial"]],
        ["VOLTAGE", t["volts"], "PHASE", t["phase"], "HZ", t["hertz"]],
        ["R.L.A.", t["rla_a"], "L.R.A.", t["lra_a"], "F.L.A.", t["fla_a"]],
        ["MIN. CIRCUIT AMPS", t["mca_a"], "MAX. OVERCURRENT", t["mocp_a"]],
        ["RUN CAPACITOR", caps, "REFRIGERANT", t["refrigerant"]],
    ]  # fmt: skip


def make_plate(seed: int, light: str, layout: int | None = None) -> MadePlate:
    """Draw a plate and spoil its picture."""
    rng = random.Random(seed)
    noise = np.random.default_rng(seed)
    truth = _figures(rng)
    rows = _rows(truth, rng.randrange(3) if layout is None else layout)
    width, step = 1_500, 92
    height = step * (len(rows) + 1)
    image = Image.new("L", (width, height), 226)
    pen = ImageDraw.Draw(image)
    font = ImageFont.load_default(46)
    pen.rectangle((10, 10, width - 10, height - 10), outline=60, width=4)
    for i, row in enumerate(rows):
        gap = (width - 120) / max(len(row), 2)
        x = 60.0
        for cell in row:
            pen.text((x, 40 + i * step), cell, fill=40, font=font)
            x = max(x + gap * (0.8 if len(row) > 3 else 1), x + pen.textlength(cell, font) + 40)
    if light == "scratched":
        for _ in range(14):
            x, y = rng.uniform(0, width), rng.uniform(0, height)
            pen.line((x, y, x + rng.uniform(-400, 400), y + rng.uniform(-90, 90)), fill=150, width=2)
    # Seen a little out of focus, on a wall around it.
    wall = Image.new("L", (width + 240, height + 240), 140)
    wall.paste(image, (120, 120))
    if light == "dark":
        wall = Image.eval(wall, lambda v: 255 - v)
    if light == "tilt":
        wall = wall.rotate(rng.uniform(-6, 6), Image.Resampling.BICUBIC, fillcolor=140)
    wall = wall.filter(ImageFilter.GaussianBlur(rng.uniform(0.8, 1.8)))
    grey = np.asarray(wall, dtype=np.float64)
    across = np.linspace(0, 1, grey.shape[1])[None, :]
    if light == "sun":
        spot = np.zeros(grey.shape)
        spot[rng.randrange(grey.shape[0]), rng.randrange(grey.shape[1])] = 1
        glare = gaussian_filter(spot, 130)
        grey = grey + 120 * glare / glare.max()
    if light == "shade":
        edge = rng.uniform(0.25, 0.75)
        grey = grey * (0.42 + 0.58 / (1 + np.exp(-(across - edge) * 60)))
    if light == "worn":
        # Rubbed off in patches: letters fade, here and there to nothing.
        rubbed = gaussian_filter(noise.normal(size=grey.shape), 30)
        share = np.clip(rubbed / np.abs(rubbed).max() * 1.3, 0, 0.86)
        grey = grey * (1 - share) + 226 * share
    grey = grey * 0.8 + 20 + noise.normal(0, 7, grey.shape)
    out = BytesIO()
    Image.fromarray(np.clip(grey, 0, 255).astype(np.uint8)).save(out, "JPEG", quality=72)
    return MadePlate(out.getvalue(), truth)
