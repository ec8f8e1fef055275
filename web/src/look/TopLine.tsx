import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { HomeLink } from "./HomeLink";
import { ModeButton } from "./ModeButton";

export const TOP_LINE_PX = 48;

/** The line at the top of every page: the way home, then what the page puts there, and the theme. */
export function TopLine({ children }: { children: ReactNode }) {
  return (
    <Box
      component="header"
      sx={{
        height: TOP_LINE_PX,
        px: { xs: 1.5, md: 2.5 },
        display: "flex",
        alignItems: "center",
        gap: 1.5,
        borderBottom: 1,
        borderColor: "divider",
        bgcolor: "background.paper",
        whiteSpace: "nowrap",
      }}
    >
      <HomeLink />
      {children}
      <ModeButton />
    </Box>
  );
}
