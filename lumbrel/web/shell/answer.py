"""What a script or a program is answered."""

from typing import Any

from starlette.responses import JSONResponse

from lumbrel.words import spoken


class SpokenJSON(JSONResponse):
    """JSON whose sentences are in the language that is spoken."""

    def render(self, content: Any) -> bytes:
        """As it is sent."""
        return super().render(spoken(content))
