"""The lost link has several proofs now: its one proof from before is told of as the first of them, and does not hold, since it asked for less."""

from django.db import migrations


def told_of(apps, schema_editor):
    from linkcore.proofs import UNKNOWN
    from server.proofs.reckoning import ASKS_MORE, first_proof_of

    before = apps.get_model("proofs", "ProofRecord").objects.filter(hop="lost link", name="as predicted")
    before.update(name=first_proof_of("lost link"), rests_on={UNKNOWN: ASKS_MORE["lost link"]})


class Migration(migrations.Migration):
    dependencies = [("proofs", "0003_names")]
    operations = [migrations.RunPython(told_of, migrations.RunPython.noop)]
