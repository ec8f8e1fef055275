import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import { colours } from "./colours";
import { usePhone } from "./phone";

const SIZES = [0, 1, 1.6, 2.4]; // times the width at which it reads well; 0: as wide as the screen

/** A picture that is wider than a hand-held screen: there it pans under the finger and has a size of its own; elsewhere it stands as it is. `least`: px at which it reads well. */
export function WidePicture({ name, least, children }: { name: string; least: number; children: ReactNode }) {
  const phone = usePhone();
  const [size, setSize] = useState(1);
  if (!phone) return children;
  const times = SIZES[size] ?? 1;
  const step = (by: number) => setSize(Math.min(SIZES.length - 1, Math.max(0, size + by)));
  return (
    <Box sx={{ minWidth: 0 }}>
      <Box data-pans role="group" aria-label={`${name}, to pan`} tabIndex={0} sx={{ overflow: "auto", overscrollBehavior: "contain" }}>
        <Box sx={{ width: times === 0 ? "100%" : least * times, "& > svg, & > div > svg": { width: "100%", height: "auto" } }}>
          {children}
        </Box>
      </Box>
      <Box
        sx={{ display: "flex", justifyContent: "flex-end", alignItems: "center", gap: 0.5, mt: 0.5, fontSize: 12, color: colours.softInk }}
      >
        size
        <Button variant="outlined" aria-label={`${name} smaller`} disabled={size === 0} onClick={() => step(-1)} sx={BUTTON}>
          −
        </Button>
        <Button variant="outlined" aria-label={`${name} larger`} disabled={size === SIZES.length - 1} onClick={() => step(1)} sx={BUTTON}>
          +
        </Button>
      </Box>
    </Box>
  );
}

const BUTTON = { minWidth: 40, minHeight: 32, p: 0, fontSize: 16 } as const;

/** A table that is wider than a hand-held screen: there it pans under the finger. `least`: px that it needs. */
export function WideTable({ name, least, children }: { name: string; least: number; children: ReactNode }) {
  const phone = usePhone();
  if (!phone) return children;
  return (
    <Box
      data-pans
      role="group"
      aria-label={`${name}, to pan`}
      tabIndex={0}
      sx={{ overflowX: "auto", overscrollBehaviorX: "contain", "& > *": { minWidth: least } }}
    >
      {children}
    </Box>
  );
}
