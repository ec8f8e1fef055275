import Box from "@mui/material/Box";
import { colours } from "./colours";

/** The product's mark and name. */
export function Wordmark({ size = 20 }: { size?: number }) {
  return (
    <Box component="span" sx={{ display: "inline-flex", alignItems: "center", gap: 1, color: colours.ink, whiteSpace: "nowrap" }}>
      <svg width={size * 1.15} height={size * 1.15} viewBox="0 0 24 24" aria-hidden="true">
        <circle cx="10.5" cy="12" r="8" fill={colours.verdigris} />
        <circle cx="10.5" cy="12" r="5.6" fill="none" stroke={colours.raised} strokeWidth="0.9" />
        <path
          d="M20 9.2a5.4 5.4 0 0 1 0 5.6M22.4 7.4a8.6 8.6 0 0 1 0 9.2"
          fill="none"
          stroke={colours.verdigris}
          strokeWidth="1.3"
          strokeLinecap="round"
        />
      </svg>
      <span style={{ fontFamily: '"Fraunces Variable", serif', fontWeight: 600, fontSize: size }}>Coin Bell</span>
    </Box>
  );
}
