"""Who is let in from the network: passphrase, pairing codes, devices and their sessions."""

import hashlib
import hmac
import logging
import secrets
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path
from sqlite3 import Connection, Error
from threading import Lock, Semaphore
from uuid import uuid4

from lumbrel.services.access import passphrase
from lumbrel.services.access.codes import Offer, code_in, new_offer, why_not
from lumbrel.services.access.roles import OWNER, RANK
from lumbrel.services.access.tries import Patience
from lumbrel.services.base.form import BadInput, NotFound, too_long
from lumbrel.store import access as store
from lumbrel.store.access import AccessFile, Device, WrongTry
from lumbrel.words import _

LOG = logging.getLogger("lumbrel.access")
SESSION_LASTS = timedelta(days=120)
"""A sugar season, with what comes before and after it."""
NOTE_SEEN_EVERY = timedelta(seconds=30)
TRIES_SHOWN_FOR = timedelta(days=7)
OUT_SHOWN = 10
MOST_DEVICES = 100
MOST_SIGN_INS, SIGN_INS_WAIT_SECONDS = 8, 5
"""How many passphrases are looked at or wait for it at once, and what the next one is told to wait."""
LONGEST_NAME, LONGEST_INITIALS = 40, 8


class MustWait(Exception):
    """Too many wrong tries; `seconds` until the next one is looked at."""

    def __init__(self, seconds: int) -> None:
        minutes = _("{seconds} min", seconds=seconds // 60) if seconds >= 120 else f"{seconds} s"
        super().__init__(
            _(
                "Too many wrong tries. Wait {minutes}, then try again with the right one; nothing "
                "that is sent before is looked at.",
                minutes=minutes,
            )
        )
        self.seconds = seconds


@dataclass(frozen=True)
class Entered:
    """A device that was let in, and what its cookie carries."""

    device: Device
    secret: str


@dataclass(frozen=True)
class _Session:
    device_id: str
    ends_at: datetime


class Doorkeeper:
    """Keeps the list of devices; knows by heart who is in.

    Args:
        path: the list's file.
        now: the real time, not that of a demonstration.
    """

    def __init__(self, path: Path, now: datetime) -> None:
        self._file = AccessFile(path)
        self._patience, self._lock = Patience(), Lock()
        self._signing_in = Semaphore(MOST_SIGN_INS)
        self._devices: dict[str, Device] = {}
        self._seen: set[str] = set()
        self.tell_out: Callable[[str], None] = lambda device_id: None
        """Hears of each device that is put out."""
        self._sessions: dict[str, _Session] = {}
        with self._file.turn() as db:
            self._devices = {d.id: d for d in store.devices(db)}
            running = store.sessions(db, now)
        self._sessions = {h: _Session(device, ends) for h, device, ends in running}

    def close(self) -> None:
        """Let the file go."""
        self.write_down()
        self._file.close()

    @property
    def has_passphrase(self) -> bool:
        """Whether a passphrase was chosen; without one nobody is let in."""
        with self._file.turn() as db:
            return store.passphrase_hash(db) is not None

    def is_passphrase(self, text: str) -> bool:
        """Whether that is the passphrase, asked at the machine itself."""
        with self._file.turn() as db:
            kept = store.passphrase_hash(db)
        return passphrase.is_it(kept, text)

    def choose_passphrase(self, text: str, again: str, now: datetime) -> None:
        """Choose the passphrase, or another one.

        Raises:
            BadInput: it is too short, or the second is not the first.
        """
        why = passphrase.refusal(text)
        if why:
            raise BadInput({"passphrase": why})
        if text.strip() != again.strip():
            raise BadInput({"again": _("The two are not the same. Type it once more.")})
        kept = passphrase.hashed(text)
        with self._file.turn() as db:
            store.keep_passphrase(db, kept, now)
        LOG.info("a passphrase was chosen")

    def offer(self, role: str, now: datetime) -> Offer:
        """A code that lets one device in, once, within five minutes. Codes before it end.

        Raises:
            BadInput: there is no such role, or there are too many devices.
        """
        if role not in RANK:
            raise BadInput({"role": _("A device’s role is owner, finisher or viewer.")})
        if len(self._devices) >= MOST_DEVICES:
            raise BadInput(
                {
                    "role": _(
                        "There are {MOST_DEVICES} devices already. Remove one first.",
                        MOST_DEVICES=MOST_DEVICES,
                    )
                }
            )
        offer = new_offer(role, now)
        with self._file.turn() as db:
            store.end_pairings(db, now)
            store.add_pairing(db, _hash(offer.code), role, now, offer.ends_at)
        return offer

    def pair(self, fields: dict[str, str], origin: str, now: datetime) -> Entered:
        """Let a device in by its code.

        Args:
            fields: code, name, initials.
            origin: the address it calls from.
        Raises:
            MustWait: too many wrong codes.
            BadInput: the code is wrong, used or late, or there is no name.
        """
        named = _name_and_initials(fields)
        self._wait(origin)
        hashed = _hash(code_in(fields.get("code", "")))
        with self._file.turn() as db:
            row = store.pairing(db, hashed)
            why = why_not(row, now)
            if not why:
                assert row is not None
                store.use_pairing(db, hashed, now)
                entered = self._enter(db, _new_device(named, row.role, origin, now))
        if why:
            self._note_wrong(_("pairing code"), origin, now)
            raise BadInput({"code": why})
        self._patience.right(origin)
        return self._known(entered)

    def sign_in(self, fields: dict[str, str], origin: str, now: datetime) -> Entered:
        """Let a device in as an owner's, by the passphrase.

        Raises:
            MustWait: too many wrong tries.
            BadInput: it is not the passphrase, or there is no name.
        """
        named = _name_and_initials(fields)
        self._wait(origin)
        with self._file.turn() as db:
            kept = store.passphrase_hash(db)
        # Outside of the turn: it is meant to take long. Only so many wait for it; who pages are made
        # for must not wait for those.
        if not self._signing_in.acquire(blocking=False):
            raise MustWait(SIGN_INS_WAIT_SECONDS)
        try:
            is_it = passphrase.is_it(kept, fields.get("passphrase", ""))
        finally:
            self._signing_in.release()
        if not is_it:
            self._note_wrong("passphrase", origin, now)
            raise BadInput({"passphrase": _("That is not this kitchen's passphrase.")})
        with self._file.turn() as db:
            entered = self._enter(db, _new_device(named, OWNER, origin, now))
        self._patience.right(origin)
        return self._known(entered)

    def device_of(self, secret: str, now: datetime, origin: str) -> Device | None:
        """The device whose cookie this is; None when it is nobody's, put out or over."""
        session = self._sessions.get(_hash(secret))
        device = self._devices.get(session.device_id) if session else None
        if session is None or device is None or session.ends_at <= now:
            return None
        if now - device.seen_at >= NOTE_SEEN_EVERY:
            device = replace(device, seen_at=now, seen_from=origin)
            with self._lock:
                if device.id in self._devices:
                    self._devices[device.id] = device
                    self._seen.add(device.id)
        return device

    def write_down(self, now: datetime | None = None) -> None:
        """Write down when devices were seen last, and forget sessions that ended by now. Nobody waits for it,
        and nobody is kept out where it cannot be written; it is tried again with the next."""
        with self._lock:
            seen, self._seen = [self._devices[i] for i in self._seen if i in self._devices], set()
        try:
            with self._file.turn() as db:
                if now:
                    store.forget_ended(db, now)
                for device in seen:
                    store.seen(db, device.id, device.seen_at, device.seen_from)
        except Error as error:
            LOG.warning("when devices were seen could not be written: %s", error)
            with self._lock:
                self._seen |= {device.id for device in seen}

    def is_in(self, device_id: str) -> bool:
        """Whether a device is still let in."""
        return device_id in self._devices

    def devices(self) -> list[Device]:
        """The devices that are in, then those last put out."""
        with self._file.turn() as db:
            listed = store.devices(db, put_out_too=OUT_SHOWN)
        return [self._devices.get(device.id, device) for device in listed]

    def change(self, device_id: str, fields: dict[str, str]) -> None:
        """Name a device anew, or give it another role.

        Raises:
            NotFound: it is not in.
            BadInput: a field is wrong.
        """
        device = self._devices.get(device_id)
        if device is None:
            raise NotFound(_("That device was removed, or was never paired."))
        name, initials = _name_and_initials(fields)
        role = fields.get("role", "")
        if role not in RANK:
            raise BadInput({"role": _("A device’s role is owner, finisher or viewer.")})
        with self._file.turn() as db:
            store.change_device(db, device_id, name, initials, role)
        with self._lock:
            self._devices[device_id] = replace(device, name=name, initials=initials, role=role)

    def put_out(self, device_id: str, now: datetime) -> None:
        """Let a device in no more; what it sends from now on is refused. Again is harmless."""
        with self._file.turn() as db:
            store.put_out(db, device_id, now)
        with self._lock:
            self._devices.pop(device_id, None)
            self._sessions = {h: s for h, s in self._sessions.items() if s.device_id != device_id}
        self.tell_out(device_id)
        LOG.info("device %s was put out", device_id)

    def wrong_tries(self, now: datetime) -> list[WrongTry]:
        """Wrong tries of the last days, the newest first."""
        with self._file.turn() as db:
            return store.wrong_tries(db, now - TRIES_SHOWN_FOR)

    def left_open(self) -> tuple[bool, bool]:
        """Whether the kitchen was open to the network when it was last served, and whether
        without encryption."""
        with self._file.turn() as db:
            return store.opening(db)

    def keep_open(self, now: datetime, *, is_open: bool, plain: bool = False) -> None:
        """Keep in mind whether the kitchen is open to the network. Once closed, no code works. Where it
        cannot be written, it is open or closed all the same."""
        try:
            with self._file.turn() as db:
                store.keep_opening(db, is_open=is_open, plain=plain)
                if not is_open:
                    store.end_pairings(db, now)
        except Error as error:
            LOG.warning("that the kitchen is open, or closed, could not be written: %s", error)

    def _wait(self, origin: str) -> None:
        seconds = self._patience.must_wait(origin)
        if seconds:
            raise MustWait(seconds)

    def _note_wrong(self, what: str, origin: str, now: datetime) -> None:
        """Note a wrong try; where it cannot be written, it is refused all the same."""
        LOG.warning("a wrong %s from %s", what, origin)
        try:
            with self._file.turn() as db:
                store.note_wrong_try(db, now, origin, what)
        except Error as error:
            LOG.warning("a wrong try could not be written: %s", error)

    @staticmethod
    def _enter(db: Connection, device: Device) -> Entered:
        secret = secrets.token_urlsafe(32)
        store.add_device(db, device)
        ends = device.paired_at + SESSION_LASTS
        store.add_session(db, _hash(secret), device.id, device.paired_at, ends)
        return Entered(device, secret)

    def _known(self, entered: Entered) -> Entered:
        """Known by heart once it is written."""
        device = entered.device
        with self._lock:
            self._devices[device.id] = device
            self._sessions[_hash(entered.secret)] = _Session(device.id, device.paired_at + SESSION_LASTS)
        LOG.info("device %s was let in as a %s's", device.id, device.role)
        return entered


def _new_device(named: tuple[str, str], role: str, origin: str, now: datetime) -> Device:
    name, initials = named
    return Device(
        id=uuid4().hex, name=name, initials=initials, role=role, paired_at=now, seen_at=now, seen_from=origin
    )


def write_token(secret: str) -> str:
    """What a device's writes carry besides its cookie: from the cookie no other site can make it."""
    return hmac.new(secret.encode(), b"what is written", hashlib.sha256).hexdigest()[:32]


def _name_and_initials(fields: dict[str, str]) -> tuple[str, str]:
    name, initials = fields.get("name", "").strip(), fields.get("initials", "").strip()
    errors = {}
    if not name:
        errors["name"] = _("Give the device a name to find it by, as “phone in the apron”.")
    elif len(name) > LONGEST_NAME:
        errors["name"] = too_long(LONGEST_NAME, name)
    if len(initials) > LONGEST_INITIALS:
        errors["initials"] = too_long(LONGEST_INITIALS, initials)
    if errors:
        raise BadInput(errors)
    return name, initials


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
