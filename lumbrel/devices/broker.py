"""The kitchen's MQTT broker: what boards say there, and what Lumbrel tells the house."""

import json
import ssl
import sys
import threading
import time
from collections import deque
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from math import isfinite
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from lumbrel.devices.lines import ProbeSample, UnreadableLine, parse
from lumbrel.devices.measured import KEYS, UNITS, Value, unit_of
from lumbrel.devices.wires import Listened, Nearby
from lumbrel.words import _

OWN = "lumbrel"
"""What Lumbrel says itself begins so."""
PICK = "#"
"""No topic holds it: what of its JSON is meant stands behind it."""
SILENT_S, LOOKED_AT_S = 180.0, 30.0
OFTEN_S = 0.2
"""Of one topic no more is taken than that often."""
FLOOD_PER_S, FLOOD_OVER_S, CALM_S = 200, 1.0, 60.0
MOST_TOPICS, MOST_BYTES, DEEPEST = 400, 4096, 3
MOST = 1e9
"""Nothing that is measured here is more; a number that is none is not less."""
WAITS_S = 0.25
DENIED = (0x86, 0x87)
NOT_YET = _("The broker does not answer yet.")
REFUSED = _("The broker lets nobody in with that user and password.")


@dataclass(frozen=True, kw_only=True)
class BrokerAt:
    """Where the broker is.

    Attributes:
        tls: whether it is spoken to under TLS.
        authority: the certificate of who vouches for it, a PEM file; else whom this machine trusts.
    """

    host: str
    port: int
    tls: bool = False
    authority: str = ""
    user: str = ""
    password: str = ""


class Broker:
    """A broker that is spoken with, by a thread of its own; nobody waits for it.

    Args:
        at: where it is.
        will: a topic and what the broker says there once Lumbrel is gone.
    """

    def __init__(self, at: BrokerAt, will: tuple[str, str] | None = None) -> None:
        self.at, self._will = at, will
        self.why = NOT_YET
        self.flooded = 0.0
        """So many messages a second, where that was too much to look at all topics."""
        self.came = 0
        """How often it was connected."""
        self._heard: dict[str, tuple[float, ProbeSample]] = {}
        self._used: dict[str, set[str]] = {}
        """Of each topic that is listened to, the addresses in it."""
        self._waiting: dict[str, deque[ProbeSample | None]] = {}
        self._news = threading.Condition()
        self._looked_at = -LOOKED_AT_S
        self._all = False
        self._counted, self._since = 0, time.monotonic()
        self._taken_at: dict[str, float] = {}
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2)
        self._client.on_connect = self._came
        self._client.on_disconnect = self._went
        self._client.on_connect_fail = self._failed
        self._client.on_message = self._take
        self._client.reconnect_delay_set(1, 30)
        self._client.max_queued_messages_set(200)
        # What no one foresaw in a message must not end the thread that hears all others.
        self._client.suppress_exceptions = True
        if will:
            self._client.will_set(will[0], will[1], retain=True)
        if at.user:
            self._client.username_pw_set(at.user, at.password or None)

    def start(self) -> None:
        """Begin to speak with it, for as long as it takes."""
        if self.at.tls:
            try:
                self._client.tls_set(ca_certs=self.at.authority or None)
            except (OSError, ssl.SSLError) as error:
                self.why = _("The certificate of its authority cannot be read: {why}.", why=error)
                return
        self._client.connect_async(self.at.host, self.at.port, keepalive=30)
        self._client.loop_start()

    def stop(self) -> None:
        """End it, and say so."""
        if self._will and not self.why:
            with suppress(ValueError, RuntimeError):
                self._client.publish(*self._will, qos=1, retain=True).wait_for_publish(WAITS_S)
        self._client.disconnect()
        self._client.loop_stop()
        with self._news:
            self.why = NOT_YET
            self._news.notify_all()

    @property
    def listened(self) -> Listened:
        """As a wire."""
        return Listened(self.nearby, self.source, SILENT_S)

    def nearby(self, _named: Sequence[str] = ()) -> list[Nearby]:
        """What was heard; all topics are listened to while somebody looks."""
        self._looked_at = time.monotonic()
        if self.flooded and self._looked_at - self._since > CALM_S:
            self.flooded = 0.0  # it may have become calm: it is tried again
        self._listen_to_all(not self.flooded)
        with self._news:
            known = sorted(self._heard)
        return [Nearby(one, one.replace(PICK, " · ")) for one in known]

    def topics(self) -> list[tuple[str, ProbeSample]]:
        """What was heard lately, by its address."""
        now = time.monotonic()
        with self._news:
            return [(a, sample) for a, (at, sample) in sorted(self._heard.items()) if now - at <= SILENT_S]

    def source(self, address: str, stop: threading.Event) -> "_Topic":
        """What is said at an address, as a probe."""
        return _Topic(self, address, stop)

    def tell(self, topic: str, said: str) -> bool:
        """Say something there, to be held; False where nobody hears it now."""
        if self.why:
            return False
        return self._client.publish(topic, said, qos=1, retain=True).rc == mqtt.MQTT_ERR_SUCCESS

    def _listen_to_all(self, wanted: bool) -> None:
        if wanted != self._all and not self.why:
            self._all = wanted
            if wanted:
                self._client.subscribe("#")
            else:
                self._client.unsubscribe("#")

    def listen(self, address: str) -> deque[ProbeSample | None]:
        """Begin to listen to an address, whoever looks."""
        topic = address.partition(PICK)[0]
        with self._news:
            self._used.setdefault(topic, set()).add(address)
            waiting = self._waiting[address] = deque(maxlen=20)
        if not self.why:
            self._client.subscribe(topic)
        return waiting

    def leave(self, address: str) -> None:
        """Listen to it no more."""
        topic = address.partition(PICK)[0]
        with self._news:
            self._waiting.pop(address, None)
            self._used.get(topic, set()).discard(address)
            gone = not self._used.get(topic)
            if gone:
                self._used.pop(topic, None)
        if gone and not self.why and not self._all:
            self._client.unsubscribe(topic)

    def await_news(self) -> None:
        """Until something came, or for a moment."""
        with self._news:
            self._news.wait(WAITS_S)

    def _came(self, _client: Any, _userdata: Any, _flags: Any, reason: Any, _more: Any) -> None:
        if reason.is_failure:
            self.why = REFUSED if reason.value in DENIED else _("The broker refused: {why}.", why=str(reason))
            return
        self.why, self._all, self.came = "", False, self.came + 1
        for topic in list(self._used):
            self._client.subscribe(topic)
        if time.monotonic() - self._looked_at < LOOKED_AT_S:
            self._listen_to_all(not self.flooded)

    def _went(self, _client: Any, _userdata: Any, _flags: Any, reason: Any, _more: Any) -> None:
        if not self.why:
            self.why = _("The broker is gone: {why}. It is tried again.", why=str(reason))
        with self._news:
            self._news.notify_all()

    def _failed(self, _client: Any, _userdata: Any) -> None:
        error = sys.exc_info()[1]
        why = getattr(error, "strerror", None) or error or _("no answer")
        self.why = _("The broker is not reached: {why}.", why=why)

    def _take(self, _client: Any, _userdata: Any, message: mqtt.MQTTMessage) -> None:
        now = time.monotonic()
        if not message.retain:  # those all come at once
            self._count(now)
        topic = message.topic
        used = self._used.get(topic)
        if (used is None and not self._all) or now - self._taken_at.get(topic, -OFTEN_S) < OFTEN_S:
            return
        if topic.startswith(f"{OWN}/") or topic.endswith("/config"):
            return  # its own words, and what others say of themselves
        if used is None and len(self._taken_at) >= MOST_TOPICS and topic not in self._taken_at:
            return
        self._taken_at[topic] = now
        found = dict(_values(topic, bytes(message.payload)))
        with self._news:
            for address, sample in found.items():
                if address in self._heard or address in self._waiting or len(self._heard) < MOST_TOPICS:
                    self._heard[address] = now, sample
            if not message.retain:  # what is retained is of some other time
                for address in self._used.get(topic, ()):
                    self._waiting[address].append(found.get(address))
            self._news.notify_all()

    def _count(self, now: float) -> None:
        self._counted += 1
        over = now - self._since
        too_many = self._counted > FLOOD_PER_S * FLOOD_OVER_S
        if over < FLOOD_OVER_S and not (too_many and self._all):
            return
        rate, self._counted, self._since = self._counted / max(over, 0.01), 0, now
        self.flooded = rate if too_many else 0.0
        if self._all and (self.flooded or now - self._looked_at > LOOKED_AT_S):
            self._listen_to_all(False)


def _values(topic: str, payload: bytes) -> Iterator[tuple[str, ProbeSample]]:
    """What a message says, each by its address."""
    if len(payload) > MOST_BYTES:
        return
    text = payload.strip()
    if text.startswith(b"{"):
        try:
            yield from _leaves(topic + PICK, "", json.loads(text), 0)
        except (ValueError, RecursionError):
            return
        return
    try:
        sample = parse(text[:200])
        if sample and all(isfinite(one.number) for one in sample.values):
            yield topic, sample
    except UnreadableLine:
        return


def _leaves(
    start: str, path: str, told: Any, depth: int, beside: str = ""
) -> Iterator[tuple[str, ProbeSample]]:
    """Each number of an object, with the unit that its key names, or that stands beside it."""
    if isinstance(told, dict) and depth < DEEPEST:
        beside = unit_of(str(told.get("unit", ""))) or ""
        for key, value in told.items():
            yield from _leaves(start, f"{path}.{key}" if path else str(key), value, depth + 1, beside)
        return
    sample = _number(path.rpartition(".")[2].lower(), told, beside)
    if sample:
        yield start + path, sample


def _number(key: str, told: Any, beside: str) -> ProbeSample | None:
    """What a key says; None where that is no number."""
    if isinstance(told, str) and len(told) < 40:
        # "21.5 C", as some boards write it.
        try:
            sample = parse(told.encode())
        except UnreadableLine:
            return None
        return sample if sample and sample.at is None and sample.values[0].unit else None
    if not isinstance(told, int | float) or isinstance(told, bool) or not abs(told) < MOST:
        return None
    quantity, unit = KEYS.get(key, ("", ""))
    if not unit and beside and key in KEYS and quantity in ("", UNITS[beside][0]):
        unit = beside
    return ProbeSample(None, (Value(float(told), unit, quantity),))


class _Topic:
    """An address of the broker, as a probe.

    Args:
        stop: set from outside.
    """

    def __init__(self, broker: Broker, address: str, stop: threading.Event) -> None:
        self._broker, self._address, self._stop = broker, address, stop

    def samples(self) -> Iterator[ProbeSample | None]:
        """What is said there while the broker answers.

        Raises:
            OSError: the broker does not answer.
        """
        waiting = self._broker.listen(self._address)
        try:
            while not self._stop.is_set():
                while waiting:
                    yield waiting.popleft()
                if self._broker.why:
                    raise OSError(self._broker.why)
                self._broker.await_news()
        finally:
            self._broker.leave(self._address)
