"""A question on the pan's page: large, by name, answered by one press; every reply of it leads somewhere."""

import html
import re
from datetime import timedelta
from unittest import mock

from fastapi.testclient import TestClient

from lumbrel.core.pan.boil_path import BoilPath
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import QuestionKey
from lumbrel.services.base.form import SEEN
from lumbrel.services.pan import asked_of_instruments, entries
from lumbrel.services.pan import board as boards
from lumbrel.services.pan.belief import believe
from lumbrel.services.pan.question import HOLD_BACK, LASTING, Question, answer, was_put_in
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support.kitchen import NOON, KitchenCase


class Questions(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.at = NOON + timedelta(minutes=40)
        app = create_app(Settings(database=self.path, clock=lambda: self.at, refresh_seconds=0))
        self.client = self.enterContext(TestClient(app, base_url="http://127.0.0.1", follow_redirects=False))
        self.code = self.take_in()
        self.put(self.code, "boiling", 5)

    def page(self) -> str:
        """The pan's page."""
        answer = self.client.get(f"/pan/{self.code}")
        self.assertEqual(answer.status_code, 200, answer.text[-800:])
        return html.unescape(answer.text)

    def test_every_reply_of_every_question_is_a_press_that_is_taken(self) -> None:
        keys = QuestionKey.__args__  # type: ignore[attr-defined]
        self.assertEqual(set(entries.ASKED_ABOUT), set(keys))
        self.assertLessEqual({*HOLD_BACK, *LASTING}, set(keys))
        for i, key in enumerate(keys):
            at = self.at - timedelta(minutes=20)
            one = Question(
                key=key,
                sentence=f"Is it {key}?",
                why="It looks so.",
                at=at,
                replies=(answer("Yes", key, i % 2 == 0, at),),
            )
            with mock.patch.object(boards, "questions", lambda *_, one=one: [one]):
                page = self.page()
            self.assertIn(f"<h2>Is it {key}?</h2>", page)
            form = re.search(r'<section class="question".*?</section>', page, re.S)
            assert form is not None
            address = re.search(r'action="([^"]+)"', form[0])
            assert address is not None
            fields = dict(re.findall(r'name="([^"]+)" value="([^"]*)"', form[0]))
            self.assertIn(SEEN, fields, "what every form brings along, or a phone's press is refused")
            pressed = self.client.post(address[1], data=fields)
            self.assertEqual((pressed.status_code, pressed.headers["location"]), (303, f"/pan/{self.code}"))
            again = self.client.post(address[1], data=fields)
            self.assertEqual(again.status_code, 303)
            words = entries.ASKED_ABOUT[key][0 if i % 2 == 0 else 1]
            record = html.unescape(self.client.get(f"/pan/{self.code}/record").text)
            self.assertEqual(len(re.findall(rf">\s*{words}\s*<", record)), 1, key)

    def test_where_a_reply_leads_there_is_a_page(self) -> None:
        for minute in (45, 58):
            below = {"below": "1", "cup": "92 C", "reading_confirmed": "1"}
            self.put(self.code, "hydrometer", minute, **below)
        self.at = NOON + timedelta(minutes=60)
        context = contexts.load(self.db, self.code, self.at)
        found = believe(context)
        with mock.patch.object(BoilPath, "brix_at", lambda *_: 60.0):
            asked = list(asked_of_instruments.of_the_scale(context, found.evidence))
        asked.append(was_put_in(context, self.at, "why"))
        links = [reply.href for one in asked for reply in one.replies if reply.href]
        self.assertEqual(len(links), 2)
        for link in (*links, "/day"):
            self.assertEqual(self.client.get(link.split("#")[0]).status_code, 200, link)

    def test_who_knows_how_much_finds_the_form_open_at_its_time(self) -> None:
        context = contexts.load(self.db, self.code, self.at)
        asked = was_put_in(context, NOON + timedelta(minutes=30), "why")
        href = next(reply.href for reply in asked.replies if reply.href)
        form = html.unescape(self.client.get(href.split("#")[0]).text)
        self.assertRegex(form, r'<details name="event" open>\s*<summary>Put in near-syrup')
        self.assertIn(f'value="{context.clock(asked.at)}"', form)

    def test_what_a_vessel_stands_on_is_asked_until_it_is_said(self) -> None:
        self.assertIn("What does Finisher 2 stand on?", self.page())
        bad = self.client.post(f"/pan/{self.code}/fire", data={"fire": "sun"})
        self.assertEqual(bad.status_code, 422)
        self.assertIn("Choose what it stands on", html.unescape(bad.text))
        said = self.client.post(f"/pan/{self.code}/fire", data={"fire": "steam"})
        self.assertEqual(said.status_code, 303)
        self.assertNotIn("stand on?", self.page())
        vessel = self.client.get("/kitchen/vessel/finisher-2").text
        self.assertIn('<option value="steam" selected', " ".join(vessel.split()))
