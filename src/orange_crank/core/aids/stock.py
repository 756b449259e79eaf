"""Parts of a list as start aids to choose from."""

from orange_crank.core.aids.entry import AidName, AidPart
from orange_crank.core.aids.parts import Counted, PartKind, missing_ratings

AIDS: dict[PartKind, AidName] = {
    "kit_ptc": "ptc_two_wire",
    "kit_two_wire": "relay_two_wire",
    "kit_three_wire": "relay_three_wire",
    "kit_multi_value": "relay_three_wire",
    "three_in_one": "three_in_one",
    "soft_starter": "soft_starter",
}


def aid_part(held: Counted) -> AidPart | None:
    """Return a part as a start aid, or None when it is none."""
    p = held.part
    if p.kind not in AIDS or missing_ratings(p):
        return None
    uf = p.start_cap_uf
    if p.uf_low is not None and p.uf_high is not None:
        uf = (p.uf_low + p.uf_high) / 2
    return AidPart(
        part=p.part,
        aid=AIDS[p.kind],
        start_cap_uf=uf,
        sections_uf=p.sections_uf if p.kind == "kit_multi_value" else None,
        volts_ac=p.volts_ac,
        cold_ohm=p.cold_ohm,
        pickup_low_v=p.pickup_low_v,
        pickup_high_v=p.pickup_high_v,
        dropout_high_v=p.dropout_high_v,
        continuous_v=p.continuous_v,
        ceiling_ratio=p.ceiling_ratio,
        rla_low_a=p.rla_low_a,
        rla_high_a=p.rla_high_a,
        lra_high_a=p.lra_high_a,
        volts_line=p.volts_line,
        hp_low=p.hp_low,
        hp_high=p.hp_high,
        min_off_s=p.min_off_s,
        learning_starts=p.learning_starts,
        mounting=p.mounting,
        lead_ft=p.lead_ft,
        leads=p.leads,
        price=held.price,
        count=held.count,
        listed_for=p.listed_for or [],
    )
