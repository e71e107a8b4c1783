import { useQueryClient } from "@tanstack/react-query";
import { Moon, Sun } from "lucide-react";
import { lazy, type ReactNode, Suspense, useEffect } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, Navigate, NavLink, Route, Routes, useLocation, useNavigate } from "react-router";
import { client, data, keepToken } from "./api/client";
import { useSession, useWords } from "./api/queries";
import { Button } from "./controls/Button";
import { Guard } from "./controls/Guard";
import { HelpButton, KeysProvider, useKeysOf } from "./controls/Keys";
import { Menu, MenuAction } from "./controls/Menu";
import { ErrorNotice, Loading } from "./controls/Notice";
import { Desk } from "./places/Desk";
import { BesideBar } from "./places/people/Beside";
import { People } from "./places/people/People";
import { SignIn } from "./places/people/SignIn";
import { Welcome } from "./places/people/Welcome";
import { You } from "./places/people/You";
import { forgetOffline } from "./places/run/offline";
import { applyScheme, useScheme } from "./scheme";

const Bench = lazy(() => import("./places/bench/Bench"));
const Scenes = lazy(() => import("./places/scenes/Scenes"));
const NewStudy = lazy(() => import("./places/new-study/NewStudy"));
const Readers = lazy(() => import("./places/readers/Readers"));
const Reports = lazy(() => import("./places/reports/Reports"));
const Report = lazy(() => import("./places/reports/Report"));
const Film = lazy(() => import("./places/film/Film"));
const Run = lazy(() => import("./places/run/Run"));
const Tuning = lazy(() => import("./places/tuning/Tuning"));
const StudyFrame = lazy(() => import("./places/StudyFrame"));

const KEYS = [
  { key: "Shift D", does: "Desk" },
  { key: "Shift B", does: "Bench" },
  { key: "Shift S", does: "Scenes" },
  { key: "Shift T", does: "Tuning" },
  { key: "Shift R", does: "Readers" },
  { key: "Shift P", does: "Reports" },
  { key: "?", does: "the keys of this place, and what its words mean" },
];

/** All of it; pages that are filmed ask nobody who they are. */
export function App() {
  return (
    <Routes>
      <Route
        path="/film/*"
        element={
          <Suspense fallback={null}>
            <Film />
          </Suspense>
        }
      />
      <Route path="*" element={<House />} />
    </Routes>
  );
}

function House() {
  const { data: session, error, isPending } = useSession();
  const { pathname, search } = useLocation();
  const words = useWords(Boolean(session?.name));
  if (error ?? words.error) {
    return (
      <main className="mx-auto max-w-xl p-10">
        <ErrorNotice error={error ?? words.error} />
      </main>
    );
  }
  if (isPending || (session?.name && !words.data)) return null;
  // A link lets somebody in, whoever is in by chance.
  if (pathname === "/welcome") return <Welcome />;
  if (!session?.name) {
    return pathname === "/sign-in" ? (
      <SignIn />
    ) : (
      <Navigate to={`/sign-in?next=${encodeURIComponent(pathname + search)}`} replace />
    );
  }
  return (
    <KeysProvider>
      <Shell name={session.name} role={session.role}>
        <Guard place={pathname}>
          {session.owes_second_factor && pathname !== "/you" && <Navigate to="/you" replace />}
          <Suspense fallback={<Loading what="the page" />}>
            <Routes>
              <Route path="/" element={<Desk />} />
              <Route path="/bench/*" element={<Bench />} />
              <Route path="/scenes/*" element={<Scenes />} />
              <Route path="/tuning/*" element={<Tuning />} />
              <Route path="/studies/new" element={<NewStudy />} />
              <Route path="/studies/:study/run" element={<Run />} />
              <Route path="/studies/:study/*" element={<StudyFrame />} />
              <Route path="/reports" element={<Reports />} />
              <Route path="/reports/:report" element={<Report />} />
              <Route path="/people" element={<People />} />
              <Route path="/you" element={<You />} />
              <Route path="/readers" element={<Readers />} />
              <Route path="/sign-in" element={<SignedIn />} />
              <Route path="*" element={<Nowhere />} />
            </Routes>
          </Suspense>
        </Guard>
      </Shell>
    </KeysProvider>
  );
}

/** Where the sign-in page leads once somebody is signed in. The API's reference is a page of the server's own. */
function SignedIn() {
  const next = new URLSearchParams(useLocation().search).get("next") ?? "/";
  const ours = next.startsWith("/") && !next.startsWith("//");
  useEffect(() => {
    if (ours && next.startsWith("/api/")) window.location.replace(next);
  }, [next, ours]);
  return <Navigate to={ours && !next.startsWith("/api/") ? next : "/"} replace />;
}

function Shell({ name, role, children }: { name: string; role: string; children: ReactNode }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const { pathname } = useLocation();
  const scheme = useScheme();
  // At the bench nothing stands around the one instruction.
  const full = /^\/studies\/\d+\/run$/.test(pathname);
  useHotkeys("shift+d", () => go("/"));
  useHotkeys("shift+b", () => go("/bench"));
  useHotkeys("shift+s", () => go("/scenes"));
  useHotkeys("shift+t", () => go("/tuning"));
  useHotkeys("shift+r", () => go("/readers"));
  useHotkeys("shift+p", () => go("/reports"), { enabled: role !== "viewer" });
  useKeysOf("Everywhere", KEYS);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new address begins at its top
  useEffect(() => {
    window.scrollTo(0, 0);
    // Whoever cannot see that the page has changed stands at its beginning.
    if (!document.activeElement?.closest("#place, [role=dialog]")) document.getElementById("place")?.focus();
  }, [pathname]);
  const signOut = async () => {
    const session = await data(client.DELETE("/api/session"));
    keepToken(session.csrf_token);
    queries.clear();
    await forgetOffline();
    go("/sign-in");
  };
  return (
    <>
      <a
        href="#place"
        className="plain sr-only focus:not-sr-only focus:absolute focus:top-2 focus:left-2 focus:z-50 focus:bg-ink focus:px-3 focus:py-2 focus:text-paper"
      >
        To the content
      </a>
      {!full && <BesideBar />}
      {!full && (
        <header className="shell border-ink border-b-3 border-double">
          <div className="mx-auto flex max-w-[90rem] flex-wrap items-center gap-x-6 gap-y-1 px-6 py-2 max-sm:px-3.5">
            <Link
              to="/"
              className="plain flex items-center gap-2 text-[1.15rem] font-extrabold"
              style={{ fontStretch: "112%" }}
            >
              <Finish />
              Rennbahn
            </Link>
            <nav aria-label="Places" className="flex gap-5 max-sm:hidden">
              {PLACES.filter((one) => !one.from || role === "lead" || role === one.from).map((one) => (
                <Place key={one.to} to={one.to}>
                  {one.name}
                </Place>
              ))}
            </nav>
            <div className="ml-auto flex flex-wrap items-center gap-x-3 max-sm:hidden">
              <HelpButton />
              <Link to="/you" className="text-[0.9rem]" title="Your account">
                {name} <span className="text-mute">· {role}</span>
              </Link>
              <Button
                kind="quiet"
                aria-label={scheme === "desk" ? "Dark scheme for the bench" : "Light scheme for the desk"}
                onClick={() => applyScheme(scheme === "desk" ? "bench" : "desk")}
              >
                {scheme === "desk" ? (
                  <Moon size={16} aria-hidden="true" />
                ) : (
                  <Sun size={16} aria-hidden="true" />
                )}
              </Button>
              <Button kind="quiet" onClick={signOut}>
                Sign out
              </Button>
            </div>
            {/* On a phone the header takes one line. */}
            <div className="ml-auto sm:hidden">
              <Menu label="Places">
                {PLACES.filter((one) => !one.from || role === "lead" || role === one.from).map((one) => (
                  <MenuAction key={one.to} onSelect={() => go(one.to)}>
                    {one.name}
                  </MenuAction>
                ))}
                <MenuAction onSelect={() => applyScheme(scheme === "desk" ? "bench" : "desk")}>
                  {scheme === "desk" ? "Dark scheme" : "Light scheme"}
                </MenuAction>
                <MenuAction onSelect={() => go("/you")}>Your account</MenuAction>
                <MenuAction onSelect={signOut}>Sign out {name}</MenuAction>
              </Menu>
            </div>
          </div>
        </header>
      )}
      <main
        id="place"
        tabIndex={-1}
        className={full ? "outline-none" : "mx-auto max-w-[90rem] px-6 pt-5 pb-16 outline-none"}
      >
        {children}
      </main>
    </>
  );
}

/** Where one can go from anywhere, and the role from which on. */
const PLACES: { to: string; name: string; from?: string }[] = [
  { to: "/", name: "Desk" },
  { to: "/bench", name: "Bench" },
  { to: "/scenes", name: "Scenes" },
  { to: "/tuning", name: "Tuning" },
  { to: "/readers", name: "Readers" },
  { to: "/reports", name: "Reports", from: "tester" },
  { to: "/people", name: "People", from: "lead" },
];

function Place({ to, children }: { to: string; children: ReactNode }) {
  return (
    <NavLink
      to={to}
      end={to === "/"}
      className={({ isActive }) =>
        `plain label border-b-2 py-1 ${isActive ? "border-ink text-ink!" : "border-transparent hover:border-mute"}`
      }
    >
      {children}
    </NavLink>
  );
}

/** The finish line: our mark. */
function Finish() {
  return (
    <svg width="10" height="22" viewBox="0 0 10 22" aria-hidden="true" fill="currentColor">
      {Array.from({ length: 8 }, (_, i) => i).map((i) => (
        <rect key={i} x={i % 2 ? 5 : 0} y={i * 2.75} width="5" height="2.75" />
      ))}
    </svg>
  );
}

function Nowhere() {
  return (
    <div className="py-16 text-center">
      <h1 className="text-2xl font-bold">There is nothing at this address.</h1>
      <p className="mt-2">
        <Link to="/">Back to the desk</Link>
      </p>
    </div>
  );
}
