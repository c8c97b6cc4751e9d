"""The JSON API: the services' calculations over HTTP, documented by OpenAPI."""

from fastapi import APIRouter

from lumbrel.web.api import calculations, meta, probes, trace

router = APIRouter()
router.include_router(meta.router)
router.include_router(calculations.router)
router.include_router(probes.router)
router.include_router(trace.router)
router.include_router(meta.last)
