"""The pages, one module per stage."""

from fastapi import APIRouter

from lumbrel.web.pages import (
    batch,
    candy,
    day,
    instruments,
    kitchen,
    live,
    pan,
    practice,
    schools,
    shelf,
    stations,
    take_in,
    workings,
)

router = APIRouter(include_in_schema=False)
for _module in (
    kitchen, instruments, schools, day, take_in, pan, stations, candy, shelf, batch, workings, live, practice,
):  # fmt: skip
    router.include_router(_module.router)
