import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { LoadTold, LoadView, Role } from "../../api/types";
import { useSteady } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours } from "../../look/colours";
import { HopHead } from "../../look/HopHead";
import { Problem } from "../../look/Problem";
import { columns } from "../../look/phone";
import { Ends } from "./Ends";
import { FlashPanel } from "./FlashPanel";
import { Images } from "./Images";
import { KeptSettings, Log } from "./Log";
import { Shelf } from "./Shelf";
import { useFlashes, useLoadView } from "./useLoad";

export function LoadHop({ craft, edit }: HopProps) {
  const load = useSteady((state) => state.report?.told.load ?? null) as LoadTold | null;
  const jobs = useSteady((state) => state.live?.jobs ?? []); // snapshots come 25 times a second; this changes only while a job runs
  const [picked, setPicked] = useState<Role | null>(null);
  const [image, setImage] = useState<string | null>(null);
  const [every, setEvery] = useState(false);
  const [shelf, setShelf] = useState(false);
  const flashable = load?.devices.find((each) => each.can_flash && each.role !== "board") ?? load?.devices.find((each) => each.can_flash);
  const silent = load?.link?.verdict === "do not match";
  const role: Role = picked ?? (silent ? "receiver" : (flashable?.role ?? "board"));
  const runs = JSON.stringify(load?.devices.map((each) => [each.sha256, each.runs]));
  const states = jobs.map((job) => `${job.order.role}${job.state}${job.began_t}`).join();
  const began = states.replace(/(asking|erasing|writing|verifying|restarting)/g, "runs"); // changes when a job begins or ends
  const view = useLoadView(craft, role, every, `${runs}${began}`);
  const log = useFlashes(craft.id, began);
  const choose = (next: Role, of: string | null = null) => {
    setPicked(next);
    setImage(of);
  };
  const head = (
    <HopHead
      title="Load"
      question={
        shelf ? "Which images do we have, and what is each for?" : "Is the right firmware on both ends, and do they understand each other?"
      }
    >
      <Button variant="outlined" onClick={() => setShelf(!shelf)}>
        {shelf ? "Back to the devices" : "Shelf"}
      </Button>
    </HopHead>
  );
  if (shelf)
    return (
      <>
        {head}
        <Shelf workshopId={craft.workshop_id} />
      </>
    );
  const device = load?.devices.find((each) => each.role === role);
  if (!load || !device)
    return (
      <>
        {head}
        Looking at the devices…
      </>
    );
  const offered = log.data?.find((each) => each.carried);
  const chosen = view.data?.view.images.find((each) => each.image.id === image) ?? null;
  return (
    <>
      {head}
      <Ends load={load} jobs={jobs} chosen={role} onChoose={choose} />
      {offered && (
        <Box sx={{ mt: 1.5 }}>
          <KeptSettings craft={craft} flash={offered} edit={edit} />
        </Box>
      )}
      {(view.data?.view.ways_out.length ?? 0) > 0 && <WaysOut ways={view.data?.view.ways_out ?? []} onChoose={choose} />}
      <Problem text={(view.error ?? log.error)?.message ?? ""} />
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 340px"), gap: 2, mt: 1.5, alignItems: "start" }}>
        <Images
          view={view.data?.view}
          device={device.name}
          chosen={image}
          onChoose={(each) => setImage(each.image.id)}
          every={every}
          onEvery={setEvery}
        />
        <FlashPanel key={role} device={device} load={load} job={jobs.find((each) => each.order.role === role)} image={chosen} />
      </Box>
      <Box sx={{ mt: 2, display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 2 }}>
        <Log flashes={log.data ?? []} />
      </Box>
    </>
  );
}

/** The sets of images that would make both ends understand each other, fewest flashes first. */
function WaysOut({ ways, onChoose }: { ways: LoadView["ways_out"]; onChoose: (role: Role, image: string) => void }) {
  return (
    <Box
      component="section"
      aria-label="Shortest way to a link that talks"
      sx={{
        mt: 1.5,
        px: 1.5,
        py: 1,
        borderRadius: 1.5,
        bgcolor: colours.copperWash,
        fontSize: 13.5,
        display: "flex",
        gap: 1,
        alignItems: "center",
        flexWrap: "wrap",
      }}
    >
      <b>Shortest way to a link that talks:</b>
      {ways.map((way, index) => (
        <Box
          component="span"
          key={way.steps.map((step) => step.image).join()}
          sx={{ display: "inline-flex", gap: 0.75, alignItems: "center" }}
        >
          {index > 0 && "or"}
          {way.steps.map((step) => (
            <Button
              key={step.image}
              variant={index === 0 ? "contained" : "outlined"}
              onClick={() => onChoose(step.role, step.image)}
              title={`${step.said}; then it ${way.then.verdict}, ${way.then.channels} channels on the air${way.then.telemetry ? ", telemetry" : ""}`}
            >
              {step.said.replace(/ \(.*/, "")} on the {step.role === "transmitter" ? "transmitter's end" : step.role}
            </Button>
          ))}
          {way.then.verdict === "talks with less" && <span>(talks with less)</span>}
        </Box>
      ))}
    </Box>
  );
}
