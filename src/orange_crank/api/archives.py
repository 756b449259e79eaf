"""Archives over HTTP: the whole shop or one unit, out as a zip and in again."""

import tempfile
from collections.abc import Iterator
from typing import Annotated

from fastapi import APIRouter, Path, Request
from fastapi.responses import StreamingResponse
from starlette.concurrency import run_in_threadpool

from orange_crank.apart import run_apart
from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.open_files import open_files
from orange_crank.api.shop import Number
from orange_crank.api.uploads import MOST_BYTES, Uploads
from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.keeping import Keeping, worries
from orange_crank.store import archive, people, sign_in_events, units
from orange_crank.store.audit import note
from orange_crank.store.backup import BackupState, Keeper
from orange_crank.store.database import now, session
from orange_crank.store.once import once
from orange_crank.store.shop_details import get_shop

router = APIRouter(prefix="/api", tags=["archives"])

CHUNK = 1 << 20


class ArchiveSent(Frozen):
    """An archive that arrived, and what it would bring."""

    upload_id: str
    report: archive.ImportReport


def _streamed(name: str, unit_id: int | None) -> StreamingResponse:
    file = tempfile.TemporaryFile()  # noqa: SIM115, closed by the stream that reads it
    try:
        with session():
            shop = get_shop().details.name
            archive.write_archive(file, "by download", unit_id, shop, open_files(unit_id, shop))
    except BaseException:
        file.close()
        raise
    size = file.tell()
    file.seek(0)

    def chunks() -> Iterator[bytes]:
        with file:
            while chunk := file.read(CHUNK):
                yield chunk

    headers = {"Content-Disposition": f'attachment; filename="{name}.zip"', "Content-Length": str(size)}
    return StreamingResponse(chunks(), media_type="application/zip", headers=headers)


@router.get("/archive.zip", response_class=StreamingResponse)
def whole_shop() -> StreamingResponse:
    """Return the whole shop as an archive: JSON by a published schema, pictures and recordings beside it."""
    return _streamed("orange-crank-shop", None)


@router.get("/units/{unit_id}/archive.zip", response_class=StreamingResponse)
def one_unit(unit_id: Number) -> StreamingResponse:
    """Return one unit with all its calls as an archive."""
    with session():
        unit_id = units.get_unit(unit_id).id
    return _streamed(f"orange-crank-unit-{unit_id}", unit_id)


@router.post("/archives", status_code=201, max_body_size=MOST_BYTES + 1024)
async def send_archive(request: Request, who: Who) -> ArchiveSent:
    """Take an archive in and say what it would bring; nothing is kept yet."""
    uploads: Uploads = request.app.state.uploads
    name, path = await uploads.receive(request, "zip")

    def look() -> archive.ImportReport:
        run_apart("file", archive.check_archive, path)
        with session(), path.open("rb") as file:
            people.may_manage(who)
            return archive.read_archive(file, keep=False, by=who)

    try:
        report = await run_in_threadpool(look)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return ArchiveSent(upload_id=name, report=report)


@router.post("/archives/{upload_id}/keep", status_code=201)
def keep_archive(
    upload_id: Annotated[str, Path(max_length=60)], request: Request, who: Who, key: Key
) -> archive.ImportReport:
    """Bring in what an archive that was sent holds; the same archive again brings nothing twice."""
    uploads: Uploads = request.app.state.uploads
    people.may_manage(who)

    def run() -> archive.ImportReport:
        with uploads.path(upload_id).open("rb") as file:
            report = archive.read_archive(file, keep=True, by=who)
        sign_in_events.record("imported", name=report.shop, person_id=who.id, detail=report.text)
        note("import", report.shop, f"{report.scope}: {sum(report.new.values())} new rows", who.id)
        return report

    def again(_: int | None) -> archive.ImportReport:
        return archive.ImportReport(shop="", scope="had been brought in", new={}, known=0, done=True)

    with session():
        report = once(key, run, again)
    uploads.used(upload_id)
    return report


def _keeper(request: Request) -> Keeper:
    keeper: Keeper | None = request.app.state.keeper
    if keeper is None:
        raise GateClosed(
            msg("This server makes no backups."),
            next_step=msg("Start it with orange-crank start; it makes its own."),
        )
    return keeper


@router.get("/backups")
def get_backups(request: Request) -> BackupState | None:
    """Return when the records were last backed up, and what the last restore drill found."""
    keeper: Keeper | None = request.app.state.keeper
    return None if keeper is None else keeper.state(now())


@router.get("/keeping")
def get_keeping(request: Request) -> Keeping:
    """Return what has to be looked after so that the record is kept: disk, backups, certificate."""
    state = request.app.state
    return Keeping(worries=worries(state.keeper, state.network, now()))


@router.post("/backups", status_code=201)
def back_up_now(request: Request, who: Who) -> BackupState:
    """Back the records up now; the lead and the office do."""
    if who.role not in ("lead", "office"):
        raise GateClosed(msg("The lead and the office back up."), next_step=msg("Ask the lead."))
    keeper = _keeper(request)
    keeper.back_up()
    return keeper.state(now())
