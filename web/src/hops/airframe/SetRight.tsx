import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import type { Mend } from "../../api/types";
import { known, useSteady } from "../../bench/useBench";

/** The findings that belong to a part of the hop, by their codes, each with what would mend it. */
export function SetRight({
  label,
  codes,
  heading,
  mend,
}: {
  label: string;
  codes: RegExp;
  heading?: string;
  mend: (each: Mend) => ReactNode;
}) {
  const found = useSteady((state) => known(state)?.findings.filter(({ code }) => codes.test(code)) ?? []);
  if (found.length === 0) return null;
  return (
    <Box
      component="section"
      aria-label={label}
      sx={{ mt: 1.5, pt: 1, borderTop: 1, borderColor: "divider", display: "grid", gap: 1, fontSize: 13.5 }}
    >
      {heading && <b>{heading}</b>}
      {found.map((each) => (
        <Box key={each.what}>
          <b>{each.what}</b> {each.why}
          <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "baseline" }}>
            {each.mends.map((one) => (
              <span key={one.text}>{mend(one)}</span>
            ))}
          </Box>
        </Box>
      ))}
    </Box>
  );
}
