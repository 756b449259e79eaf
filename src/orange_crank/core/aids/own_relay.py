"""Whether a kit's own relay lies in the window."""

from orange_crank.core.aids.entry import AidPart
from orange_crank.core.messages import msg
from orange_crank.core.motor.relay import STALL_MARGIN, RelayChoice, RelayWindow, relay_fits
from orange_crank.core.tables import RelayClass


def own_relay(part: AidPart, window: RelayWindow) -> RelayChoice | None:
    """Return the kit's own relay where it lies in the window."""
    rated = (part.pickup_low_v, part.pickup_high_v, part.dropout_high_v, part.continuous_v)
    low, high, dropout, continuous = rated
    if low is None or high is None or dropout is None or continuous is None:
        return None
    own = RelayClass(pickup_low_v=low, pickup_high_v=high, dropout_high_v=dropout, continuous_v=continuous)
    return RelayChoice(window=window, **own.model_dump()) if relay_fits(own, window) else None


def why_no_relay(part: AidPart, window: RelayWindow) -> str:
    """Return why a kit's relay, or any class, does not suit."""
    seen = msg(
        "its coil sees {stall_v:.0f} V at stall and {reached_v:.0f} V at 80 % speed",
        stall_v=window.stall_v,
        reached_v=window.reached_v,
    )
    if part.continuous_v is not None and part.continuous_v <= window.running_high_v:
        return msg(
            "Coil rated {continuous_v:g} V continuous; on high line it sees {running_high_v:.0f} V.",
            continuous_v=part.continuous_v,
            running_high_v=window.running_high_v,
        )
    if part.dropout_high_v is not None and part.dropout_high_v >= window.running_low_v:
        return msg(
            "It can drop out at {dropout_high_v:g} V; running it may see only {running_low_v:.0f} V.",
            dropout_high_v=part.dropout_high_v,
            running_low_v=window.running_low_v,
        )
    if (
        part.pickup_high_v is not None
        and part.pickup_low_v is not None
        and part.pickup_low_v > STALL_MARGIN * window.stall_v
        and part.pickup_high_v >= window.surely_v
    ):
        return msg(
            "May not pick up until {pickup_high_v:g} V. On low line this compressor may "
            "reach only {surely_v:.0f} V: the start capacitor stays in and bursts. Clamp "
            "the start lead while it runs, or use a lower-voltage relay.",
            pickup_high_v=part.pickup_high_v,
            surely_v=window.surely_v,
        )
    if part.pickup_low_v is not None and part.pickup_high_v is not None:
        return msg(
            "Picks up at {pickup_low_v:g} to {pickup_high_v:g} V; {seen}.",
            pickup_low_v=part.pickup_low_v,
            pickup_high_v=part.pickup_high_v,
            seen=seen,
        )
    return msg(
        "No relay rating fits: {seen}; running it may see {running_high_v:.0f} V. "
        "Clamp the start lead while it runs, or use a two-wire kit.",
        seen=seen,
        running_high_v=window.running_high_v,
    )
