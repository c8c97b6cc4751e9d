"""What a form is refused or asked about is said on the page that answers, with a place to confirm it."""

import tempfile
import unittest
from itertools import chain, repeat
from pathlib import Path
from typing import Any
from unittest import mock

from fastapi.testclient import TestClient
from markupsafe import escape

from lumbrel import demo
from lumbrel.services.base.form import BadInput, Form
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.render import TEMPLATES, Filled
from lumbrel.web.shell.settings import Settings
from tests.support.crawl import forms, pages, route_of
from tests.support.kitchen import NOON, KitchenCase, season_copy

HOST = "http://127.0.0.1"
WRONG, ASKED = "Nobody has foreseen this <mistake>.", "Nobody has foreseen this & question."


class EveryForm(KitchenCase):
    def client(self, path: Path, **how: Any) -> TestClient:
        app = create_app(Settings(database=path, refresh_seconds=0, **how))
        return self.enterContext(TestClient(app, base_url=HOST, follow_redirects=False))

    def test_whatever_stands_in_its_way_is_said_with_a_tick(self) -> None:
        path = season_copy(Path(self.enterContext(tempfile.TemporaryDirectory())))
        client = self.client(path, clock=demo.clock(path, frozen=True), demo=True)
        met: dict[str, tuple[str, dict[str, str]]] = {}
        for where, page in pages(client):
            # Nothing here is served to a network, so that room is not there.
            self.assertEqual(page.status_code, 404 if where == "/kitchen/network" else 200, where)
            if "text/html" in page.headers["content-type"] and not where.startswith("/api/"):
                self.assertEqual(page.text.count("<h1"), 1, where)
            for form in forms(page.text):
                met.setdefault(route_of("POST", form.action), (form.action, form.fields))
        odd = BadInput({"odd": WRONG}, {"odder": ASKED})
        asked = set()
        with mock.patch.object(Form, "check") as check:
            # What is in the way of a logo is its picture; the check there is of the labels beside it.
            met.pop("/jar/{code}/logo")
            met.pop("/practice/start")
            for route, (action, fields) in met.items():
                check.reset_mock()
                # A page that is made may read forms of its own.
                check.side_effect = chain([odd], repeat(None))
                answer = client.post(action, data=fields)
                self.assertIn(answer.status_code, (200, 303, 404, 422), action)
                if check.called:
                    asked.add(route)
                    self.assertEqual(answer.status_code, 422, action)
                    for text in (escape(WRONG), escape(ASKED), 'name="odder_confirmed"'):
                        self.assertTrue(text in answer.text, (action, text))
        self.assertGreater(len(asked), 30, "most forms of the application were met")

    def test_a_draw_right_after_the_take_in_is_asked_about_and_can_be_confirmed(self) -> None:
        code = self.take_in()
        client = self.client(self.path, clock=lambda: NOON)
        asked = client.post(f"/pan/{code}/slip/draw", data={"id": "draw-1"})
        self.assertEqual(asked.status_code, 422)
        form = next(f for f in forms(asked.text) if "/slip/draw" in f.action)
        self.assertEqual(form.fields["id"], "draw-1")
        self.assertIn('name="mass_confirmed"', asked.text)
        sure = client.post(form.action, data=form.fields | {"mass_confirmed": "1"})
        self.assertEqual(sure.status_code, 303)
        self.assertEqual(client.get(f"/pan/{code}").status_code, 200)


class Declared(unittest.TestCase):
    def test_what_a_form_brings_along_unseen_is_brought_to_its_correction_too(self) -> None:
        shown = Filled({"photo": "0a1b", "texture": "0"})
        fields = TEMPLATES.get_template("shell/declared_fields.html").render(
            form=shown, declares="scored", focus=False
        )
        self.assertIn('name="photo" value="0a1b"', fields)
        self.assertIn(">nothing</option>", fields, "what it is called to choose none")
