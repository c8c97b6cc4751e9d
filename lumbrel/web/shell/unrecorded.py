"""Alarms that the record did not take, as on a full disk: they ring from memory all the same, and what
could not be written as answered is silent."""

from dataclasses import replace
from itertools import count

from lumbrel.store.alarms import Alarm

Key = tuple[str, str]


class Unrecorded:
    """Rings once a batch and kind, until somebody answers or the record takes it after all."""

    def __init__(self) -> None:
        self._ringing: dict[Key, Alarm] = {}
        self._answered: set[Key] = set()
        self._hushed: set[int] = set()
        self._numbers = count(1)

    def keep(self, alarms: list[Alarm]) -> None:
        """What could not be written. They are told from those of the record by numbers below nought."""
        for alarm in alarms:
            key = alarm.batch_id, alarm.kind
            if key not in self._ringing and key not in self._answered:
                self._ringing[key] = replace(alarm, id=-next(self._numbers))

    def written(self, batch_id: str) -> None:
        """The record takes the alarms of a batch again."""
        self._ringing = {k: v for k, v in self._ringing.items() if k[0] != batch_id}
        self._answered = {key for key in self._answered if key[0] != batch_id}

    def answer(self, alarm_id: int) -> bool:
        """Stop one ringing; False when there is none of that number."""
        found = next((key for key, one in list(self._ringing.items()) if one.id == alarm_id), None)
        if found is None:
            return False
        del self._ringing[found]
        self._answered.add(found)
        return True

    def hush(self, alarm_id: int) -> None:
        """One of the record was answered, and the record did not take that."""
        self._hushed.add(alarm_id)

    def ringing(self, recorded: list[Alarm]) -> list[Alarm]:
        """What rings, of the record and besides, oldest first."""
        return [*(a for a in recorded if a.id not in self._hushed), *self._ringing.values()]
