import type { Picture } from "../api/types";

/** How a wire's colour looks on our paper; the server's drawing uses the same. */
export const WIRE_HEX: Record<Picture["runs"][number]["colour"], string> = {
  red: "#B5332B",
  black: "#2A2D2E",
  white: "#FFFFFF",
  yellow: "#E2B21B",
  green: "#3F8A55",
  blue: "#3B6EA8",
  violet: "#7E56A0",
  brown: "#86593A",
  grey: "#9A9FA1",
};
