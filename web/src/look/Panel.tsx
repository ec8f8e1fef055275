import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { ReactNode, Ref } from "react";

/** A sheet of paper on the bench: a heading and what belongs under it. */
export function Panel({ title, aside, children, ref }: { title: string; aside?: ReactNode; children: ReactNode; ref?: Ref<HTMLElement> }) {
  return (
    <Box
      component="section"
      ref={ref}
      aria-label={title}
      sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.5, p: 2, minWidth: 0 }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1.25 }}>
        <Typography variant="h2">{title}</Typography>
        <Box sx={{ ml: "auto", fontSize: 12.5, color: "text.secondary" }}>{aside}</Box>
      </Box>
      {children}
    </Box>
  );
}
