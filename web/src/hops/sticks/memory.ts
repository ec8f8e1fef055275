import type { TransmitterSetup } from "../../api/types";

export const STICK_AXES = ["aileron", "elevator", "throttle", "rudder"] as const;

/** Changes the draft's model memory. */
export type Write = (change: (setup: TransmitterSetup) => void) => void;
