/** A setting's path in words, such as "U6 job". */
export function settingName(path: string): string {
  const steps = path.split("/").slice(1);
  const [section, second, third] = steps;
  switch (section) {
    case "ports":
      return `${second} job`;
    case "receiver_input":
      return second === "inverted" ? "Receiver port inverted" : "Receiver protocol";
    case "channel_map":
      return "Channel map";
    case "stick_lines":
      return second ? `Stick-${second} line` : "Stick lines";
    case "arming":
      return second ? `Arm ${second === "channel" ? "channel" : `band ${second}`}` : "Arm band";
    case "modes":
      return `Mode ${Number(second) + 1}${third ? ` ${third}` : ""}`;
    case "lost_link":
      return { grace_ms: "Grace", throttle_fallback: "Throttle fallback", response: "Response" }[second ?? ""] ?? "Lost link";
    case "bind_count":
      return "Bind count";
    default:
      return path;
  }
}

export function settingValue(value: unknown): string {
  if (value === null || value === undefined) return "none";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "object")
    return Object.values(value as object)
      .map(settingValue)
      .join(" ");
  return String(value);
}
