import Box from "@mui/material/Box";
import { useState } from "react";
import type { Finding } from "../../api/types";
import { known, useSteady } from "../../bench/useBench";
import type { DraftHopProps } from "../../craft/hopProps";
import { useWireMove } from "../../craft/useWireMove";
import { usePlanView } from "../../craft/useWorkedOut";
import { HopHead } from "../../look/HopHead";
import { Problem } from "../../look/Problem";
import { columns } from "../../look/phone";
import { WidePicture } from "../../look/WidePicture";
import { NoBoard } from "../NoBoard";
import { DeviceCard, PadCard, PinCard } from "./Cards";
import { type Chosen, PatchPicture } from "./PatchPicture";
import { PlanTable } from "./PlanTable";
import { WorkItOut } from "./WorkItOut";

export function PortPlanHop(props: DraftHopProps) {
  const { craft } = props;
  const plan = usePlanView(craft);
  const stops = useSteady((state) => (known(state)?.findings ?? []).filter((each) => each.hop === "port plan" && each.severity === "stop"));
  const [chosen, setChosen] = useState<Chosen>(null);
  const wire = useWireMove(craft, props.edit);
  const head = (
    <HopHead title="Port plan" question="Which device on which pad? Pick a device or a pad to see what could go where, and why not." />
  );
  if (!craft.document.kit.board)
    return (
      <>
        {head}
        <NoBoard craftId={craft.id} to="plan for" />
      </>
    );
  if (!plan.data)
    return (
      <>
        {head}
        <Box role={plan.error ? "alert" : undefined}>{plan.error?.message ?? "Working out what could go where…"}</Box>
      </>
    );
  const view = plan.data.view;
  const choose = (next: Chosen) => {
    if (chosen?.kind === "pin" && next?.kind === "pad") {
      void wire.move(chosen.device, chosen.pin, next.pad);
      setChosen({ kind: "device", device: chosen.device });
    } else setChosen(next);
  };
  return (
    <>
      {head}
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(520px, 1fr) 340px"), gap: 3, alignItems: "start" }}>
        <Box sx={{ minWidth: 0, display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 2 }}>
          <Problem text={wire.problem} />
          <WidePicture name="Drawing" least={760}>
            <PatchPicture
              picture={view.picture}
              jobs={craft.document.settings.ports}
              faulty={(pad, port) => stops.some((finding) => names(finding, pad) || (port !== null && names(finding, port)))}
              chosen={chosen}
              onChoose={choose}
            />
          </WidePicture>
        </Box>
        <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 2, minWidth: 0 }}>
          {chosen?.kind === "device" && <DeviceCard {...props} view={view} device={chosen.device} onClose={() => setChosen(null)} />}
          {chosen?.kind === "pad" && <PadCard key={chosen.pad} {...props} view={view} pad={chosen.pad} onChoose={setChosen} />}
          {chosen?.kind === "pin" && <PinCard {...props} view={view} device={chosen.device} pin={chosen.pin} onChoose={setChosen} />}
          <WorkItOut {...props} />
          <PlanTable craft={craft} pads={view.pads} onChoose={setChosen} />
        </Box>
      </Box>
    </>
  );
}

/** Whether a finding is about a pad or a port of that name. */
function names(finding: Finding, name: string): boolean {
  return finding.about.some((ref) => (ref.thing === "pad" || ref.thing === "port") && ref.name === name);
}
