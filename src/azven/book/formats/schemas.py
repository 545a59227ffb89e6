"""The JSON Schemas in `data/schemas`, made from the readers: `python -m azven.book.formats.schemas FOLDER`."""

import json
import sys
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from azven.book.formats import catalogue, chain, handover, plan, plan_request, region, register, site_bundle


def schemas() -> dict[str, dict[str, Any]]:
    """File name → schema (JSON Schema 2020-12) of every open JSON format."""
    models: dict[str, type[BaseModel]] = {
        f"{plan_request.NAME}-{plan_request.VERSION}": plan_request.PlanRequestDocument,
        f"{plan.NAME}-{plan.VERSION}": plan.PlanDocument,
        f"{region.NAME}-{region.VERSION}": region.RegionDocument,
        f"{chain.NAME}-{chain.VERSION}": chain.ChainDocument,
        f"{catalogue.NAME}-{catalogue.VERSION}": catalogue.CatalogueDocument,
        f"{site_bundle.NAME}-{site_bundle.VERSION}": site_bundle.SiteDocument,
        f"{register.NAME}-{register.VERSION}": register.RegisterDocument,
        f"{handover.NAME}-{handover.VERSION}": handover.HandoverDocument,
    }
    return {f"{name}.schema.json": model.model_json_schema() for name, model in models.items()}


if __name__ == "__main__":
    for file_name, schema in schemas().items():
        Path(sys.argv[1], file_name).write_text(json.dumps(schema, indent=2) + "\n", encoding="utf-8")
