import { useEffect, useRef } from "react";
import { useSearchParams } from "react-router";

/** Do something when the address asks to open a panel, once each time it does; the returned ref is brought into view. */
export function useOpened(panel: string, open: () => void) {
  const [asked, setAsked] = useSearchParams();
  const here = useRef<HTMLElement | null>(null);
  const latest = useRef(open);
  latest.current = open;
  const wanted = asked.get("open") === panel;
  useEffect(() => {
    if (!wanted) return;
    latest.current();
    here.current?.scrollIntoView({ block: "nearest" });
    setAsked(
      (before) => {
        before.delete("open");
        return before;
      },
      { replace: true },
    );
  }, [wanted, setAsked]);
  return here;
}
