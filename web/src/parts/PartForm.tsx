import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { api, taken } from "../api/client";
import { colours } from "../look/colours";
import { Problem } from "../look/Problem";
import { useAsked } from "../look/useAsked";
import { type Fault, type Schema, SchemaForm } from "./SchemaForm";
import { keepDraft, type PartDraft } from "./usePartDraft";

const CHECK_AFTER_MS = 250;

/** A part of the workshop's own: its facts, checked while they are typed. */
export function PartForm({ draft }: { draft: PartDraft }) {
  const { workshop, version, facts: value } = draft;
  const queries = useQueryClient();
  const go = useNavigate();
  const [problems, setProblems] = useState<Fault[] | null>(null);
  const checking = useAsked();
  const saving = useAsked();
  const schemas = useQuery({
    queryKey: ["part schemas"],
    queryFn: () => taken(api.GET("/api/part-schemas")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const check = checking.ask;
  useEffect(() => {
    let stale = false;
    const params = { path: { workshop_id: workshop } };
    const timer = window.setTimeout(async () => {
      const checked = await check(() => taken(api.POST("/api/workshops/{workshop_id}/parts/check", { params, body: { facts: value } })));
      if (checked && !stale) setProblems(checked.problems);
    }, CHECK_AFTER_MS);
    return () => {
      stale = true;
      window.clearTimeout(timer);
    };
  }, [value, workshop, check]);
  const save = () =>
    saving.ask(async () => {
      const params = { path: { workshop_id: workshop } };
      const saved = await taken(api.POST("/api/workshops/{workshop_id}/parts", { params, body: { facts: value, version } }));
      await queries.invalidateQueries({ queryKey: ["parts"] });
      keepDraft(null);
      go(`/workshops/${workshop}/parts/${saved.id}`);
    });
  const facts = value as { kind: string; name: string };
  const schema = schemas.data?.schemas[facts.kind] as Schema | undefined;
  return (
    <Box sx={{ maxWidth: 900, display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, flexWrap: "wrap" }}>
        <Typography variant="h1" sx={{ flex: { xs: "1 0 100%", md: 1 } }}>
          {version === null ? "A part of your own" : facts.name}
        </Typography>
        <Box role="status" sx={{ fontSize: 13, color: problems?.length ? colours.oxide : colours.verdigris }}>
          {problems === null ? "checking…" : problems.length ? `${problems.length} to mend` : "its facts are possible"}
        </Box>
        <Button variant="contained" disabled={problems === null || problems.length > 0} onClick={save}>
          Save the part
        </Button>
        <Button variant="outlined" onClick={() => keepDraft(null)}>
          Cancel
        </Button>
      </Box>
      <Problem text={saving.problem || checking.problem || (problems?.find((each) => each.place === "")?.text ?? "")} />
      {schema && (
        <SchemaForm schema={schema} value={value} problems={problems ?? []} onChange={(next) => keepDraft({ ...draft, facts: next })} />
      )}
    </Box>
  );
}
