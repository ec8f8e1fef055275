import Box from "@mui/material/Box";
import type { Craft, Edit, Hop } from "../api/types";
import { known, useBenchStore, useSteady } from "../bench/useBench";
import type { HopProps } from "../craft/hopProps";
import { colours } from "../look/colours";
import { acts, MendOf } from "./Mends";

/** Where nothing has been done at a hop yet: the one thing to begin with, large, before all else. */
export function FirstStep({ hop, craft, edit }: { hop: Hop; craft: Craft; edit: HopProps["edit"] }) {
  const first = useSteady((state) => known(state)?.findings.find((finding) => finding.hop === hop && finding.severity === "begin") ?? null);
  const blank = useBenchStore((state) => known(state)?.chain.find((each) => each.hop === hop)?.coin === "blank");
  const version = useBenchStore((state) => known(state)?.draft_version);
  if (!first || !blank) return null;
  const step = first.mends.find((mend) => !acts(mend, hop))?.text;
  return (
    <Box
      component="section"
      aria-label="First step"
      sx={{ mb: 2, px: 2.5, py: 1.75, bgcolor: "background.paper", borderLeft: `4px solid ${colours.copper}`, borderRadius: 1.25 }}
    >
      <Box sx={{ fontSize: 12.5, fontWeight: 600, color: colours.copperText }}>First</Box>
      <Box sx={{ fontSize: 22, fontWeight: 600, lineHeight: 1.3 }}>{step ? `${step}.` : first.what}</Box>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap", mt: 0.5, color: "text.secondary" }}>
        <span>
          {step ? `${first.what} ` : ""}
          {first.why}
        </span>
        {first.mends
          .filter((mend) => acts(mend, hop))
          .map((mend) => (
            <MendOf
              key={mend.text}
              mend={mend}
              craft={craft}
              hop={hop}
              current={version === craft.version}
              onMend={(edits: Edit[]) => edit(edits, version)}
            />
          ))}
      </Box>
    </Box>
  );
}
