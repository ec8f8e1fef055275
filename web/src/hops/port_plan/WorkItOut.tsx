import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { WorkedOut } from "../../api/types";
import type { DraftHopProps } from "../../craft/hopProps";
import { useForVersion, workOut } from "../../craft/useWorkedOut";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { Problem } from "../../look/Problem";
import { useAsked } from "../../look/useAsked";
import { useOpened } from "../../look/useOpened";
import { WireDifference } from "../loom/WireDifference";

/** Ranked plans as differences from the present one, or the demands that cannot stand together. */
export function WorkItOut({ craft, edit }: DraftHopProps) {
  const [found, keep] = useForVersion<WorkedOut>(craft.version);
  const { problem, busy, ask } = useAsked();
  const work = async () => keep((await ask(() => workOut(craft, []))) ?? null);
  const here = useOpened("plan", () => void work());
  return (
    <Panel title="Work it out" aside={found?.offers.length ? `${found.offers.length} plans, best first` : undefined} ref={here}>
      {!found && (
        <Box sx={{ display: "grid", gap: 1.25, fontSize: 13.5 }}>
          <span>Finds which device belongs on which port, with its reasons. Fixed wires stay where they are.</span>
          <Box>
            <Button variant="contained" onClick={work} disabled={busy}>
              {busy ? "Working it out…" : "Work it out"}
            </Button>
          </Box>
        </Box>
      )}
      <Problem text={problem} />
      {found?.says && <Box sx={{ fontSize: 13.5 }}>{found.says}</Box>}
      {found && found.offers.length > 0 && (
        <Box component="ol" aria-label="Plans" sx={{ listStyle: "none", m: 0, p: 0, display: "grid", gap: 1.25 }}>
          {found.offers.map((offer, index) => (
            <Box
              component="li"
              key={offer.plan.title + offer.plan.cost}
              aria-label={offer.plan.title}
              sx={{
                border: index === 0 ? 2 : 1,
                borderColor: index === 0 ? colours.verdigris : "divider",
                borderRadius: 1,
                p: 1.25,
                display: "grid",
                gap: 0.75,
              }}
            >
              <Box sx={{ fontWeight: 600, color: index === 0 ? colours.verdigris : colours.ink }}>{offer.plan.title}</Box>
              <Reasons offer={offer} />
              <WireDifference offer={offer} />
              {offer.plan.warnings.map((each) => (
                <Box key={each} sx={{ fontSize: 12.5, color: colours.copperText }}>
                  {each}
                </Box>
              ))}
              <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
                <Button
                  variant={index === 0 ? "contained" : "outlined"}
                  disabled={offer.wires.length === 0 && offer.jobs.length === 0 && !offer.reading}
                  onClick={() => edit(offer.edits, craft.version)}
                >
                  Take this plan
                </Button>
                <Box
                  component="span"
                  title={cost(offer.plan.costs)}
                  sx={{ fontFamily: mono, fontSize: 12, color: "text.secondary", ml: "auto" }}
                >
                  cost {offer.plan.cost}
                </Box>
              </Box>
            </Box>
          ))}
        </Box>
      )}
      {found && found.clash.length > 0 && (
        <Box sx={{ fontSize: 13.5, display: "grid", gap: 1 }}>
          <Box sx={{ color: colours.oxide, fontWeight: 600 }}>
            These {found.clash.length} cannot stand together; without any one of them the others could:
          </Box>
          <Box component="ul" aria-label="Clash" sx={{ m: 0, pl: 0, listStyle: "none", display: "grid", gap: 1 }}>
            {found.clash.map((demand) => (
              <li key={demand.device + demand.job}>
                <b>
                  {demand.device}, {demand.label}
                </b>
                <Box sx={{ color: "text.secondary" }}>{demand.why}</Box>
                <Box component="ul" sx={{ m: 0, pl: 2.25, fontSize: 12.5 }}>
                  {demand.ways.map((way) => (
                    <li key={way.text} style={{ color: way.tried ? colours.verdigris : colours.softInk }}>
                      {way.text}
                      {way.tried ? " (tried: then all fit)" : " (tried: not enough by itself)"}
                    </li>
                  ))}
                </Box>
              </li>
            ))}
          </Box>
        </Box>
      )}
    </Panel>
  );
}

function cost(costs: Record<string, number>): string {
  return Object.entries(costs)
    .map(([reason, amount]) => `${reason} ${amount}`)
    .join(", ");
}

/** The reasons of what would move; those that stay are counted. */
function Reasons({ offer }: { offer: WorkedOut["offers"][number] }) {
  const changed = new Set([...offer.wires.map((wire) => wire.device)]);
  const shown = offer.plan.assignments.filter((each) => changed.has(each.device) || offer.jobs.some((job) => job.port === each.port));
  const stay = offer.plan.assignments.length - shown.length;
  return (
    <Box component="ul" sx={{ m: 0, pl: 2.25, fontSize: 13, color: "text.secondary" }}>
      {shown.map((each) => (
        <li key={each.device + each.job}>
          <b>{each.device === "receiver" && each.job === "telemetry" ? "receiver's telemetry" : each.device}</b>
          {each.port ? ` on ${each.port}` : ""}: {each.reason}
        </li>
      ))}
      {stay > 0 && <li>{stay === 1 ? "One other stays" : `${stay} others stay`} where they are.</li>}
    </Box>
  );
}
