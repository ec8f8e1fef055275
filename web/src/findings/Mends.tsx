import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Link } from "react-router";
import type { Craft, Edit, Hop, Mend } from "../api/types";
import { doAct, sendHands, writeDraft } from "../bench/useBench";
import { hopPath } from "../chain/hops";
import { colours } from "../look/colours";

/** Whether the app does it, or leads to where it is done; what only hands can do is read in full. */
export const acts = ({ edits, hands, act, go, panel }: Mend, hop: Hop) =>
  edits.length > 0 || Boolean(act) || Object.keys(hands).length > 0 || Boolean(go && (go !== hop || panel));

/** A button where the app can do it, or lead to where it is done; a sentence where only hands can. */
export function MendOf({
  mend,
  craft,
  hop,
  current,
  onMend,
}: {
  mend: Mend;
  craft: Craft;
  hop: Hop;
  current: boolean;
  onMend: (edits: Edit[]) => void;
}) {
  const look = { variant: "outlined", sx: { color: colours.verdigris, py: 0 } } as const;
  const { text, edits, hands, act, go, panel } = mend;
  const builds = craft.may.includes("build");
  if (edits.length > 0)
    return (
      <Button {...look} disabled={!current || !builds} onClick={() => onMend(edits)}>
        {text}
      </Button>
    );
  if (act)
    return (
      <Button {...look} disabled={!current || !builds} onClick={() => void (act === "write" ? writeDraft(craft.version) : doAct(act))}>
        {text}
      </Button>
    );
  if (Object.keys(hands).length > 0)
    return (
      <Button {...look} disabled={!craft.may.includes("check")} onClick={() => sendHands(hands)}>
        {text}
      </Button>
    );
  if (acts(mend, hop) && go)
    return (
      <Button {...look} component={Link} to={`/crafts/${craft.id}/${hopPath(go)}${panel && `?open=${panel}`}`}>
        {text}
      </Button>
    );
  return (
    <Box component="span" sx={{ fontSize: 13 }}>
      {text}.
    </Box>
  );
}
