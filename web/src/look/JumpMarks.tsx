import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState } from "react";
import { colours } from "./colours";

const LONG = 1.25; // screens; what is shorter needs no marks
const IN_SIGHT_PX = 60; // so much of a section has to show for it to be seen that it is there
const sectionOf = (element: Element) => element.closest<HTMLElement>("section[aria-label]");

/** The sections of a hop that lie below what the screen shows, each to be jumped to. */
export function JumpMarks() {
  const here = useRef<HTMLElement>(null);
  const [names, setNames] = useState("");
  useEffect(() => {
    const hop = here.current?.closest<HTMLElement>("#main-hop");
    if (!hop) return;
    const look = () => setNames(hop.scrollHeight > LONG * hop.clientHeight ? below(hop).map(nameOf).join("\n") : "");
    const sizes = new ResizeObserver(look);
    const watch = () => {
      sizes.disconnect();
      sizes.observe(hop);
      for (const part of hop.children) sizes.observe(part);
    };
    const parts = new MutationObserver(watch);
    parts.observe(hop, { childList: true });
    watch();
    return () => {
      sizes.disconnect();
      parts.disconnect();
    };
  }, []);
  const jump = (name: string) => {
    const hop = here.current?.closest<HTMLElement>("#main-hop");
    const to = hop && below(hop).find((section) => nameOf(section) === name);
    if (!to) return;
    to.tabIndex = -1;
    to.focus({ preventScroll: true });
    to.scrollIntoView({ block: "start" });
  };
  return (
    <Box component="nav" ref={here} aria-label="Further down" hidden={names === ""} sx={{ fontSize: 13, color: colours.softInk }}>
      Further down:
      {names.split("\n").map((name) => (
        <Button
          key={name}
          variant="text"
          onClick={() => jump(name)}
          sx={{ py: 0, px: 0.75, fontSize: 13, fontWeight: 500, color: colours.verdigris, minWidth: 0, minHeight: "0 !important" }}
        >
          {name}
        </Button>
      ))}
    </Box>
  );
}

const nameOf = (section: HTMLElement) => section.getAttribute("aria-label") ?? "";

/** Those that begin where the screen ends or lower, when the hop is scrolled to its top; what is inside another is part of it. */
function below(hop: HTMLElement): HTMLElement[] {
  const top = hop.getBoundingClientRect().top - hop.scrollTop;
  return [...hop.querySelectorAll<HTMLElement>("section[aria-label]")].filter(
    (section) =>
      (!section.parentElement || !sectionOf(section.parentElement)) &&
      section.getBoundingClientRect().top - top > hop.clientHeight - IN_SIGHT_PX,
  );
}
