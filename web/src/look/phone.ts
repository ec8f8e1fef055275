import type { Breakpoint } from "@mui/material/styles";
import useMediaQuery from "@mui/material/useMediaQuery";

/** From this width on (px) two columns and the bench stand beside each other; below it they stand under each other, for a hand-held screen. */
export const SIDE_BY_SIDE_PX = 960;

/** The library's breakpoints, with the one that the app's layouts turn at. */
export const BREAKPOINTS: Record<Breakpoint, number> = { xs: 0, sm: 600, md: SIDE_BY_SIDE_PX, lg: 1180, xl: 1536 };

/** Columns that stand beside each other where there is room for them, else one under the other. */
export const columns = (beside: string) => ({ xs: "minmax(0, 1fr)", md: beside });

/** Whether the screen is one to hold in the hand. */
export const usePhone = () => useMediaQuery(`(max-width: ${SIDE_BY_SIDE_PX - 0.05}px)`);
