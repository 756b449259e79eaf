"""Tells devices what is due while the program is closed on them, from a background thread of each process."""

import hashlib
import json
import logging
import threading
from collections.abc import Callable

from orange_crank.core.errors import CrankError, FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.keeping import Worry
from orange_crank.push import Outcome, Place, Sender, check_place
from orange_crank.store import telling
from orange_crank.store.database import records_of, session, work_of
from orange_crank.store.telling import NewSubscription, Subscription, Told

LOOK_EVERY_S = 5.0
FORGET_EVERY = 10_000  # looks
LONGEST_BODY = 300
log = logging.getLogger(__name__)


def _place(where: NewSubscription | Subscription) -> Place:
    return Place(where.endpoint, where.device_key, where.device_secret)


def message_of(told: Told) -> bytes:
    """Return what a device is sent: what it shows, and what opens when it is tapped."""
    said = {"title": told.title, "body": told.body[:LONGEST_BODY], "tag": told.what, "path": told.path}
    return json.dumps(said, ensure_ascii=False).encode()


class Teller:
    """Looks for what is due and sends it, each thing once to each device, whatever process comes first."""

    def __init__(self, sender: Sender, worries: Callable[[], list[Worry]] | None = None) -> None:
        """Send by a sender; ``worries`` says what has to be looked after so that the record is kept."""
        self.sender = sender
        self.worries = worries or list
        self._stopping = threading.Event()

    @property
    def public_key(self) -> str | None:
        """The shop's public key; None where its key can be neither read nor made."""
        try:
            return self.sender.key.public
        except (OSError, ValueError):
            return None

    def check(self, entry: NewSubscription) -> None:
        """Refuse what cannot be where a browser is told.

        Raises
        ------
        InputProblem : an address or a key that is none

        """
        if not all(text.isascii() for text in (entry.endpoint, entry.device_key, entry.device_secret)):
            raise InputProblem(
                [FieldProblem(field="endpoint", wanted=msg("what the browser gives, letter for letter"))],
                next_step=msg("Turn reminders off on this device and on again."),
            )
        check_place(_place(entry), self.sender.near)

    def watch(self) -> None:
        """Tell what is due, from a background thread."""

        def loop() -> None:
            looks = 0
            while not self._stopping.wait(LOOK_EVERY_S):
                try:
                    if looks % FORGET_EVERY == 0:
                        with work_of(None), records_of(practice=False), session():
                            telling.forget_old()
                    looks += 1
                    self.tell_due()
                except CrankError:
                    continue  # the records are away; what is due stays due
                except Exception:
                    log.exception("telling devices failed")
                    self._stopping.wait(60.0)

        threading.Thread(target=loop, name="teller", daemon=True).start()

    def stop(self) -> None:
        """Tell nothing more."""
        self._stopping.set()

    def tell_due(self) -> int:
        """Send what is due now and return how much of it was taken.

        Raises
        ------
        CrankError : the records are away

        """
        with work_of(None), records_of(practice=False):
            with session():
                wanted = telling.due(self.worries)
            taken = 0
            for where, told in wanted:
                if self._stopping.is_set():
                    break
                with session():
                    mine = telling.claim(where.id, told.what)
                if mine:
                    taken += self._send(where, told).sent
            return taken

    def try_now(self, where: Subscription, shop: str) -> Outcome:
        """Send a device one message at once; within the shop's own records, without an open session."""
        told = Told(
            what=telling.TRIED_BY_HAND,
            title="Reminders reach this device",
            body=shop,
            path="/shop#sign-in",
            keep_s=60,
            urgent=True,
        )
        return self._send(where, told)

    def _send(self, where: Subscription, told: Told) -> Outcome:
        # No session is held while the push service is waited for.
        outcome = self.sender.send(
            _place(where),
            message_of(told),
            keep_s=told.keep_s,
            topic=hashlib.sha256(told.what.encode()).hexdigest()[:32],
            urgent=told.urgent,
        )
        with session():
            if outcome.sent:
                telling.was_sent(where.id, told.what)
            else:
                trouble = outcome.trouble or "It was not taken."
                telling.was_not_sent(where.id, told.what, trouble, gone=outcome.gone, wait_s=outcome.wait_s)
        return outcome
