import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { colours } from "../../look/colours";

/** One thing that the hop found: what it is about, the sentence that counts, and what belongs to it. The edge tells how it stands. */
export function Card({ title, edge, children }: { title: string; edge: string; children: ReactNode }) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{
        bgcolor: "background.paper",
        border: `1px solid ${colours.hairline}`,
        borderTop: `3px solid ${edge}`,
        borderRadius: 1.25,
        px: 2,
        py: 1.25,
        display: "grid",
        gap: 0.25,
        alignContent: "start",
        color: "text.secondary",
        fontSize: 13.5,
        minWidth: 0,
      }}
    >
      <Box component="h3" sx={{ m: 0, fontSize: 12.5, fontWeight: 600 }}>
        {title}
      </Box>
      {children}
    </Box>
  );
}

export function Big({ children, tone }: { children: ReactNode; tone?: string | undefined }) {
  return <Box sx={{ fontSize: 17, fontWeight: 600, color: tone ?? colours.ink, lineHeight: 1.35 }}>{children}</Box>;
}
