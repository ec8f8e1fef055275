export type Axis = "roll" | "pitch" | "throttle" | "yaw";

export const AXES: { axis: Axis; letter: string }[] = [
  { axis: "roll", letter: "A" },
  { axis: "pitch", letter: "E" },
  { axis: "throttle", letter: "T" },
  { axis: "yaw", letter: "R" },
];

/** The channel (from 1) that carries an axis under a channel order. */
export const channelOf = (axis: Axis, map: string) => map.indexOf(AXES.find((each) => each.axis === axis)?.letter ?? "") + 1;

/** Less than this, us, is noise to the eye: what is drawn of a stick stays still for it. */
export const NOISE_US = 1.5;
