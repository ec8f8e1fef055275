"""What the tests leave in the database, and what of it the next one finds.

Tests of the server begin with an empty database, those in the browser with the demo. The demo is loaded, and its proofs walked, once a process: its users
and its shelf stay in the database from one test to the next, its crafts are put back as they were.
"""

from __future__ import annotations

import uuid
from typing import Any

from django.apps import apps
from django.contrib.auth.models import Permission
from django.contrib.contenttypes.models import ContentType
from django.core.management.color import no_style
from django.db import connection
from django.db.models import Model
from django.test import TransactionTestCase

from server.accounts.models import User
from server.bench.models import BenchRecord
from server.crafts.models import Craft, Revision
from server.demo import services as demo
from server.proofs.models import ProofRecord, WireRing
from server.shelf.models import Image, ImagePiece
from server.workshops.models import Membership, Workshop

MIGRATED = {ContentType, Permission}
STAYS = (User, Workshop, Membership, Image)
PUT_BACK = (Craft, BenchRecord, Revision, ProofRecord, WireRing)
Rows = dict[type[Model], list[dict[str, Any]]]

_crafts: Rows = {}
_stays: Rows = {}


class DatabaseTest(TransactionTestCase):
    """A test whose rows other processes see. It begins with an empty database."""

    @classmethod
    def _fixture_setup(cls):
        if _stays:
            forget_demo()

    def _fixture_teardown(self):
        clear(keep=MIGRATED)


class WithDemo(DatabaseTest):
    """A test that begins with the demo just loaded."""

    @classmethod
    def _fixture_setup(cls):
        put_demo_back()

    def _fixture_teardown(self):
        clear(keep=MIGRATED | set(STAYS) | {ImagePiece})


def put_demo_back() -> None:
    """The demo as it is when it has just been loaded; its crafts have new ids each time, since a bench of the last test may still run."""
    for model, rows in _stays.items():
        model.objects.exclude(pk__in=[row["id"] for row in rows]).delete()
    if not _stays or _read(STAYS) != _stays:
        clear(keep=MIGRATED)
        demo.load()
        _crafts.update(_read(PUT_BACK))
        _stays.update(_read(STAYS))
        return
    ids = {row["id"]: uuid.uuid4() for row in _crafts[Craft]}
    Craft.objects.bulk_create(Craft(**(row | {"id": ids[row["id"]]})) for row in _crafts[Craft])
    BenchRecord.objects.bulk_create(BenchRecord(**(row | {"craft_id": ids[row["craft_id"]]})) for row in _crafts[BenchRecord])
    for model in (Revision, ProofRecord, WireRing):
        model.objects.bulk_create(model(**(row | {"id": None, "craft_id": ids[row["craft_id"]]})) for row in _crafts[model])


def forget_demo() -> None:
    """Take out what stays of the demo."""
    clear(keep=MIGRATED)
    _stays.clear()


def clear(keep: set[type[Model]]) -> None:
    """Empty the tables of all models but those to keep."""
    tables = [model._meta.db_table for model in apps.get_models(include_auto_created=True) if model not in keep]
    connection.ops.execute_sql_flush(connection.ops.sql_flush(no_style(), tables))


def _read(models: tuple[type[Model], ...]) -> Rows:
    volatile = {"last_login"}
    return {model: [{name: value for name, value in row.items() if name not in volatile} for row in model.objects.order_by("pk").values()] for model in models}
