"""Proofs get names, and what each rests on is reckoned anew."""

from django.db import migrations, models


def name_and_reckon(apps, schema_editor):
    from linkcore.parts.catalogue import PartError, read_part, shipped
    from server.proofs.reckoning import first_proof_of, reckon_anew

    records, revisions = apps.get_model("proofs", "ProofRecord"), apps.get_model("crafts", "Revision")
    benches, own_parts = apps.get_model("bench", "BenchRecord"), apps.get_model("parts", "OwnPart")
    for record in records.objects.select_related("craft").iterator():
        before = revisions.objects.filter(craft=record.craft_id, at__lte=record.at).order_by("-id")
        documents = [*before.filter(kind="saved").values_list("document", flat=True)[:3], record.craft.document]
        settings = [each.get("settings") for each in before.filter(kind="written").values_list("document", flat=True)[:3]]
        state = benches.objects.filter(craft=record.craft_id).values_list("state", flat=True).first()
        own = []
        for facts in own_parts.objects.filter(workshop=record.craft.workshop_id).values_list("facts", flat=True):
            try:
                own.append(read_part(facts))
            except PartError:
                continue
        record.name = first_proof_of(record.hop)
        record.rests_on = reckon_anew(record.hop, record.rests_on, documents, settings, state, shipped().with_own(own))
        record.save(update_fields=["name", "rests_on"])


class Migration(migrations.Migration):
    dependencies = [
        ("proofs", "0002_proofrecord_withdrawn_wirering"),
        ("crafts", "0002_alter_revision_kind"),
        ("bench", "0001_initial"),
        ("parts", "0001_initial"),
    ]

    operations = [
        migrations.AddField("proofrecord", "name", models.CharField(max_length=40, default=""), preserve_default=False),
        migrations.RunPython(name_and_reckon, migrations.RunPython.noop),
        migrations.AddIndex("proofrecord", models.Index(fields=["craft", "hop", "name", "id"], name="proofs_proo_craft_i_491138_idx")),
        migrations.RemoveIndex("proofrecord", "proofs_proo_craft_i_c0338c_idx"),
    ]
