"""The pages, one module per stage."""

from fastapi import APIRouter

from lumbrel.web.pages import batch, candy, day, instruments, kitchen, pan, shelf, stations, take_in

router = APIRouter(include_in_schema=False)
for _module in (kitchen, instruments, day, take_in, pan, stations, candy, shelf, batch):
    router.include_router(_module.router)
