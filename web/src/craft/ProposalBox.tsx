import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Exchange, Finding } from "../api/types";
import { colours } from "../look/colours";

/** A change that waits for a yes. */
export interface Proposal {
  title: string;
  exchange: Exchange;
}

/** What a change would do, and the findings that it would bring, before it is taken. */
export function ProposalBox({ proposal, onTake, onLeave }: { proposal: Proposal; onTake: () => void; onLeave: () => void }) {
  const { says, findings } = proposal.exchange;
  return (
    <Box role="group" aria-label={proposal.title} sx={{ mt: 1.5, p: 1.5, bgcolor: colours.copperWash, borderRadius: 1, fontSize: 13.5 }}>
      <b>{proposal.title}</b>
      <Box component="ul" sx={{ m: 0, pl: 2.5, my: 0.5 }}>
        {says.map((each) => (
          <li key={each}>{each}</li>
        ))}
        {findings.map((finding: Finding) => (
          <Box component="li" key={finding.code + finding.where} sx={{ color: finding.severity === "stop" ? colours.oxide : colours.ink }}>
            then: {finding.what}
          </Box>
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="contained" onClick={onTake}>
          Take it
        </Button>
        <Button variant="outlined" onClick={onLeave}>
          Cancel
        </Button>
      </Box>
    </Box>
  );
}
