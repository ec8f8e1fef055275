import Box from "@mui/material/Box";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, taken } from "../../api/client";
import type { BindTold, BindView } from "../../api/types";
import { useSteady } from "../../bench/useBench";
import { useNextProof } from "../../chain/useNextProof";
import type { HopProps } from "../../craft/hopProps";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { columns } from "../../look/phone";
import { BothEnds } from "./BothEnds";
import { LightsPicker } from "./LightsPicker";
import { LinkBudget } from "./LinkBudget";
import { Steps } from "./Steps";

export function BindHop({ craft, parts, edit }: HopProps) {
  const bind = useSteady((state) => state.report?.told.bind ?? null) as BindTold | null;
  const runs = bind?.firmware ?? "";
  const view = useQuery({
    queryKey: ["bind", craft.id, craft.version, runs],
    queryFn: () =>
      taken<{ version: number; view: BindView }>(api.GET("/api/crafts/{craft_id}/bind", { params: { path: { craft_id: craft.id } } })),
    placeholderData: keepPreviousData,
  });
  const next = useNextProof("bind"); // both ends know each other: how far they hear each other comes before how they are bound
  const head = (
    <HopHead title="Bind" question="Do the two ends know each other, and do they find each other again by themselves?">
      {bind && (
        <Box component="span" sx={{ fontWeight: 600, color: bind.proven ? colours.verdigris : colours.copperText, whiteSpace: "normal" }}>
          {bind.proven ? "Proven" : "Not proven yet"}
        </Box>
      )}
    </HopHead>
  );
  if (!bind)
    return (
      <>
        {head}
        Looking at both ends…
      </>
    );
  const budget = (
    <Box sx={{ mt: 2 }}>
      {view.data?.view.budget ? (
        <LinkBudget budget={view.data.view.budget} craft={craft} edit={edit} distance={bind.distance_m} />
      ) : (
        view.data && <Box sx={{ color: "text.secondary" }}>No link budget: one end has no whole firmware.</Box>
      )}
    </Box>
  );
  return (
    <>
      {head}
      <BothEnds bind={bind} transmitter={parts.transmitter} />
      {next === "" && budget}
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 330px"), gap: 2, mt: 2, alignItems: "start" }}>
        <Steps bind={bind} craft={craft} edit={edit} />
        {view.data && <LightsPicker lights={view.data.view.lights} receiver={parts.receiver.name} />}
      </Box>
      {next !== "" && budget}
    </>
  );
}
