"""The key of a request: the same key again finds the first answer; with another body it is refused."""

import hashlib
from typing import Annotated

from fastapi import Depends, Header, Request

from orange_crank.api.door import Admitted
from orange_crank.store.once import Keyed

# Longer than a device keeps anything.
LONGEST_S = 30 * 86_400.0


async def request_key(
    request: Request,
    admitted: Admitted,
    idempotency_key: Annotated[
        str | None,
        Header(
            min_length=8, max_length=80, description="A key of the sender's; the same entry again keeps it"
        ),
    ] = None,
    waited_seconds: Annotated[
        float,
        Header(
            ge=0,
            le=LONGEST_S,
            allow_inf_nan=False,
            description="How long the entry waited on a device without signal, by that device's clock [s]",
        ),
    ] = 0.0,
) -> Keyed | None:
    """Return a request's idempotency key with a digest of its address, its body and its sender."""
    if idempotency_key is None:
        return None
    said = hashlib.sha256()
    who = "" if admitted is None else str(admitted.person.id)
    for part in (request.method, request.url.path, request.url.query, who):
        said.update(part.encode("utf-8", "replace") + b"\0")
    said.update(await request.body())
    return Keyed(idempotency_key, said.hexdigest(), waited_seconds)


Key = Annotated[Keyed | None, Depends(request_key)]
