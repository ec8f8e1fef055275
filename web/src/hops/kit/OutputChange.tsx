import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Edit, WorkedOut } from "../../api/types";
import type { DraftHopProps } from "../../craft/hopProps";
import { useForVersion, workOut } from "../../craft/useWorkedOut";
import { colours } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { useAsked } from "../../look/useAsked";
import { WireDifference } from "../loom/WireDifference";

/** A receiver whose jumper decides what it sends: move it, and see what becomes of the wires first. */
export function OutputChange({ craft, catalogue, edit }: DraftHopProps) {
  const [tried, keep] = useForVersion<WorkedOut>(craft.version);
  const { problem, ask } = useAsked();
  const receiver = catalogue.receivers.find((each) => each.id === craft.document.kit.receiver);
  if (!receiver?.jumper) return null;
  const fitted = craft.document.kit.jumper_fitted;
  const sends = (jumper: boolean) =>
    receiver.outputs
      .filter((output) => output.jumper === undefined || output.jumper === null || output.jumper === jumper)
      .map((output) => `${output.protocol}, ${output.channels} channels`)
      .join(" and ");
  const edits: Edit[] = [{ path: "/kit/jumper_fitted", value: !fitted }];
  const look = async () => keep((await ask(() => workOut(craft, edits))) ?? null);
  const offer = tried?.offers[0];
  return (
    <Panel title="The receiver's jumper" aside={receiver.jumper}>
      <Box sx={{ fontSize: 13.5, display: "grid", gap: 1 }}>
        <span>
          It is <b>{fitted ? "fitted" : "away"}</b>: the {receiver.name} sends {sends(fitted)}. {fitted ? "Away" : "Fitted"}, it would send{" "}
          {sends(!fitted)}.
        </span>
        {!tried && (
          <Box>
            <Button variant="outlined" onClick={look}>
              {fitted ? "Remove the jumper…" : "Fit the jumper…"}
            </Button>
          </Box>
        )}
        <Problem text={problem} />
        {tried && (
          <Box role="group" aria-label="What the jumper would change" sx={{ bgcolor: colours.copperWash, borderRadius: 1, p: 1.5 }}>
            {offer ? <WireDifference offer={offer} /> : (tried.clash[0]?.why ?? tried.says)}
            <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
              <Button variant="contained" onClick={() => edit(offer?.edits ?? edits, craft.version)}>
                {offer ? "Take it, wires and all" : "Take it all the same"}
              </Button>
              <Button variant="outlined" onClick={() => keep(null)}>
                Cancel
              </Button>
            </Box>
          </Box>
        )}
      </Box>
    </Panel>
  );
}
