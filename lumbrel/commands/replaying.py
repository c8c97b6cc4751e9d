"""A boil played again from JSON lines, each answered at once."""

import argparse
import json
import sys


def replay(arguments: argparse.Namespace) -> int:
    """Answer line after line; nothing but answers goes to standard output."""
    from lumbrel.exchange.replay import Replay

    kitchen = Replay()
    source = sys.stdin if arguments.file is None else arguments.file.open(encoding="utf-8")
    try:
        for line in source:
            if line.strip():
                answer = json.dumps(kitchen.answer(line), ensure_ascii=False, allow_nan=False)
                print(answer, flush=True)
    finally:
        kitchen.close()
        if source is not sys.stdin:
            source.close()
    return 0
