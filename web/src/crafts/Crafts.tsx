import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, taken } from "../api/client";
import type { Craft, CraftRow, Session } from "../api/types";
import { hopPath, hopTitle } from "../chain/hops";
import { COIN_WORDS, Coin } from "../look/Coin";
import { colours } from "../look/colours";
import { Problem } from "../look/Problem";
import { columns } from "../look/phone";
import { TopLine } from "../look/TopLine";
import { useSignOut } from "../session/useSession";
import { NewCraft } from "./NewCraft";

export function Crafts({ session }: { session: Session }) {
  const crafts = useQuery({ queryKey: ["crafts"], queryFn: (): Promise<CraftRow[]> => taken(api.GET("/api/crafts")) });
  const [making, setMaking] = useState<number | null>(null); // the workshop that it is made in
  const signOut = useSignOut();
  const building = session.workshops.filter(({ role }) => role === "owner" || role === "builder");
  return (
    <>
      <TopLine>
        <Box sx={{ flex: 1 }} />
        <Typography sx={{ color: "text.secondary" }}>{session.user}</Typography>
        <Button variant="text" color="inherit" onClick={() => signOut.mutate()}>
          Sign out
        </Button>
      </TopLine>
      <Box component="main" data-ready={crafts.isSuccess || undefined} sx={{ maxWidth: 1240, mx: "auto", p: { xs: 1.5, md: 4 } }}>
        <Box sx={{ display: "flex", alignItems: "baseline", gap: 2, mb: 0.5 }}>
          <Typography variant="h1">Crafts</Typography>
          <Box sx={{ flex: 1 }} />
          {building.length > 0 && (
            <Button variant="contained" onClick={() => setMaking(building[0]?.id ?? null)}>
              New craft
            </Button>
          )}
        </Box>
        <Typography sx={{ color: "text.secondary", mb: 3 }}>
          Each coin is a hop of the signal. Open a craft where its chain breaks.
        </Typography>
        {crafts.error && <Box role="alert">{crafts.error.message}</Box>}
        {session.workshops.length === 0 && (
          <Typography>You belong to no workshop yet. Whoever runs Coin Bell here can add you to one with ./bell user.</Typography>
        )}
        {session.workshops.map((workshop) => {
          const own = crafts.data?.filter((craft) => craft.workshop === workshop.name) ?? [];
          return (
            <Box component="section" key={workshop.id} sx={{ mb: 4 }} aria-label={workshop.name}>
              <Typography variant="h2" sx={{ mb: 1, fontSize: 13.5, color: colours.softInk }}>
                {workshop.name} · you are {workshop.role === "owner" ? "an" : "a"} {workshop.role} ·{" "}
                <Link to={`/workshops/${workshop.id}/parts`} style={{ color: colours.verdigris }}>
                  parts
                </Link>{" "}
                ·{" "}
                <Link to={`/workshops/${workshop.id}/people`} style={{ color: colours.verdigris }}>
                  people
                </Link>
              </Typography>
              <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0, display: "grid", gap: 1.5 }}>
                {own.map((craft) => (
                  <CraftLine key={craft.id} craft={craft} />
                ))}
              </Box>
              {crafts.isSuccess && own.length === 0 && <WayIn workshop={workshop} onNew={() => setMaking(workshop.id)} />}
            </Box>
          );
        })}
      </Box>
      {making !== null && <NewCraft workshops={building} first={making} onClose={() => setMaking(null)} />}
    </>
  );
}

/** What an empty workshop offers: a craft of one's own, or one to look at. */
function WayIn({ workshop, onNew }: { workshop: Session["workshops"][number]; onNew: () => void }) {
  const go = useNavigate();
  const sample = useMutation({
    mutationFn: (): Promise<Craft> =>
      taken(api.POST("/api/workshops/{workshop_id}/sample", { params: { path: { workshop_id: workshop.id } } })),
    onSuccess: (craft) => go(`/crafts/${craft.id}/kit`),
  });
  if (workshop.role !== "owner" && workshop.role !== "builder")
    return <Box sx={WAY}>No craft yet. Owners and builders of this workshop make them.</Box>;
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: columns("1fr 1fr"), gap: 1.5 }}>
      <Box component="section" aria-label="A craft of your own" sx={WAY}>
        <Typography variant="h2">A craft of your own</Typography>
        <Box sx={{ my: 1 }}>
          Give it a name and say what it is. You choose its board, receiver and transmitter from the parts, and Coin Bell works out the rest
          of the way with you, hop by hop.
        </Box>
        <Button variant="contained" onClick={onNew}>
          Make a craft
        </Button>
      </Box>
      <Box component="section" aria-label="A sample craft" sx={WAY}>
        <Typography variant="h2">A sample craft</Typography>
        <Box sx={{ my: 1 }}>
          A small quad that is wired, bound and mostly proven on its bench. Look at what each hop shows, flip its switches, break something
          and see where the signal stops.
        </Box>
        <Button variant="outlined" disabled={sample.isPending} onClick={() => sample.mutate()}>
          {sample.isPending ? "Making the sample, a few seconds…" : "Make the sample craft"}
        </Button>
        <Problem text={sample.error?.message ?? ""} />
      </Box>
    </Box>
  );
}

const WAY = { p: 2.5, bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.5, maxWidth: 620 } as const;

function CraftLine({ craft }: { craft: CraftRow }) {
  const broken = craft.chain.find((state) => state.coin === "cracked");
  const next = broken ?? craft.chain.find((state) => state.coin !== "rings true");
  const target = `/crafts/${craft.id}/${hopPath(next?.hop ?? "kit")}`;
  return (
    <Box
      component="li"
      sx={{
        display: "grid",
        gridTemplateColumns: columns("190px minmax(0, 1fr) 250px"),
        gap: 2,
        alignItems: "center",
        p: 2,
        bgcolor: "background.paper",
        border: 1,
        borderColor: "divider",
        borderRadius: 1.5,
      }}
    >
      <div>
        <Link to={target} style={{ color: colours.ink, fontWeight: 600, fontSize: 16 }}>
          {craft.name}
        </Link>
        <Box sx={{ color: "text.secondary", fontSize: 13 }}>{craft.about || craft.airframe}</Box>
      </div>
      <Box sx={{ display: { xs: "grid", md: "flex" }, gridTemplateColumns: "repeat(5, minmax(0, 1fr))", gap: 0.5 }}>
        {craft.chain.map((state) => (
          <Box
            component={Link}
            to={`/crafts/${craft.id}/${hopPath(state.hop)}`}
            key={state.hop}
            title={`${hopTitle(state.hop)}: ${state.why}`}
            sx={{
              display: "grid",
              justifyItems: "center",
              flex: "1 1 0",
              minWidth: 0,
              textDecoration: "none",
              borderRadius: 1,
              "&:hover": { bgcolor: colours.bench },
            }}
          >
            <Coin state={state.coin} size={24} label={COIN_WORDS[state.coin]} />
            <Box component="span" sx={{ fontSize: 11, color: "text.secondary", mt: 0.5 }}>
              {hopTitle(state.hop)}
            </Box>
          </Box>
        ))}
        {craft.trouble && <Box sx={{ color: colours.oxide }}>{craft.trouble}</Box>}
      </Box>
      <Box sx={{ fontSize: 13 }}>
        {broken ? (
          <Box sx={{ color: colours.oxide }}>
            <b>{hopTitle(broken.hop)}</b>: {broken.why}
          </Box>
        ) : next ? (
          <span>
            Next: <b>{hopTitle(next.hop)}</b>, {next.why}
          </span>
        ) : (
          <Box sx={{ color: colours.verdigris }}>every hop rings true</Box>
        )}
        <Box sx={{ color: "text.secondary", fontSize: 12, mt: 0.5 }}>{craft.parts.join(" · ")}</Box>
      </Box>
    </Box>
  );
}
