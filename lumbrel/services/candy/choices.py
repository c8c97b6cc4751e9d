"""What the form of a cook offers."""

from lumbrel.core.candy import cook as core
from lumbrel.core.candy.confections import confections
from lumbrel.services.candy import cook

PIECES = [(piece.key, piece.full_name) for piece in confections()]
WANTED = list(cook.WANTED.items())
BATHS = [(key, bath.name) for key, bath in core.BATHS.items()]
