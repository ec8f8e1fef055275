import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { api, taken } from "../api/client";
import { colours } from "../look/colours";
import { type Json, type Problem, type Schema, SchemaForm } from "./SchemaForm";

const CHECK_AFTER_MS = 250;

/** A part of the workshop's own: its facts, checked while they are typed. */
export function PartForm({
  workshop,
  start,
  version,
  onClose,
}: {
  workshop: number;
  start: Json;
  version: number | null;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const go = useNavigate();
  const [value, setValue] = useState<Json>(start);
  const [problems, setProblems] = useState<Problem[] | null>(null);
  const [refused, setRefused] = useState("");
  const where = { params: { path: { workshop_id: workshop } } };
  const schemas = useQuery({
    queryKey: ["part schemas"],
    queryFn: () => taken(api.GET("/api/part-schemas")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  useEffect(() => {
    let stale = false;
    const timer = window.setTimeout(async () => {
      try {
        const path = { workshop_id: workshop };
        const checked = await taken(api.POST("/api/workshops/{workshop_id}/parts/check", { params: { path }, body: { facts: value } }));
        if (!stale) setProblems(checked.problems);
      } catch (error) {
        if (!stale) setRefused(error instanceof Error ? error.message : String(error));
      }
    }, CHECK_AFTER_MS);
    return () => {
      stale = true;
      window.clearTimeout(timer);
    };
  }, [value, workshop]);
  const save = async () => {
    setRefused("");
    try {
      const saved = await taken(api.POST("/api/workshops/{workshop_id}/parts", { ...where, body: { facts: value, version } }));
      await queries.invalidateQueries({ queryKey: ["parts"] });
      onClose();
      go(`/workshops/${workshop}/parts/${saved.id}`);
    } catch (error) {
      setRefused(error instanceof Error ? error.message : String(error));
    }
  };
  const facts = value as { kind: string; name: string };
  const schema = schemas.data?.schemas[facts.kind] as Schema | undefined;
  const known = new Set((problems ?? []).map((each) => each.place));
  return (
    <Box sx={{ maxWidth: 900, display: "grid", gap: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <Typography variant="h1" sx={{ flex: 1 }}>
          {version === null ? "A part of your own" : facts.name}
        </Typography>
        <Box role="status" sx={{ fontSize: 13, color: problems?.length ? colours.oxide : colours.verdigris }}>
          {problems === null ? "checking…" : problems.length ? `${problems.length} to mend` : "its facts are possible"}
        </Box>
        <Button variant="contained" disabled={problems === null || problems.length > 0} onClick={save}>
          Save the part
        </Button>
        <Button variant="outlined" onClick={onClose}>
          Leave it
        </Button>
      </Box>
      {(refused || known.has("")) && (
        <Box role="alert" sx={{ color: colours.oxide, fontSize: 13.5 }}>
          {refused || problems?.find((each) => each.place === "")?.text}
        </Box>
      )}
      {schema && <SchemaForm schema={schema} value={value} problems={problems ?? []} onChange={setValue} />}
    </Box>
  );
}
