import { lazy, Suspense } from "react";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { CraftPage } from "./craft/CraftPage";
import { Crafts } from "./crafts/Crafts";
import { Centred } from "./look/Centred";
import { SignIn } from "./session/SignIn";
import { useSession } from "./session/useSession";

const PeoplePage = lazy(() => import("./people/PeoplePage"));
const PartsPage = lazy(() => import("./parts/PartsPage"));

export function App() {
  const session = useSession();
  if (session.isPending) return <Centred>Opening Coin Bell…</Centred>;
  if (session.error) return <Centred>{session.error.message}</Centred>;
  if (!session.data.user) return <SignIn />;
  return (
    <BrowserRouter>
      <Routes>
        <Route path="/" element={<Crafts session={session.data} />} />
        <Route path="/crafts/:craftId" element={<CraftPage user={session.data.user} />} />
        <Route path="/crafts/:craftId/:hop" element={<CraftPage user={session.data.user} />} />
        <Route
          path="/workshops/:workshopId/parts/:partId?"
          element={
            <Suspense fallback={<Centred>Opening the parts…</Centred>}>
              <PartsPage user={session.data.user} />
            </Suspense>
          }
        />
        <Route
          path="/workshops/:workshopId/people"
          element={
            <Suspense fallback={<Centred>Looking who belongs here…</Centred>}>
              <PeoplePage session={session.data} />
            </Suspense>
          }
        />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
    </BrowserRouter>
  );
}
