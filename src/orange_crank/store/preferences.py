"""How each person of the shop reads figures, dates and hours."""

from orange_crank.core.reads import Reads
from orange_crank.store.database import now
from orange_crank.store.models import Preference
from orange_crank.store.shop_details import get_shop


def reads_of(person_id: int) -> Reads:
    """Return a person's units, dates and language; the shop's, where they never chose."""
    row = Preference.get_or_none(Preference.person == person_id)
    if row is None:
        return get_shop().details.reads
    return Reads(
        temperature=row.temperature,
        distance=row.distance,
        region=row.region,
        hours=row.hours,
        language=row.language,
    )


def set_reads(person_id: int, reads: Reads) -> Reads:
    """Keep how a person reads."""
    said = {**reads.model_dump(), "changed_at": now()}
    Preference.insert(person=person_id, **said).on_conflict(update=said).execute()
    return reads
