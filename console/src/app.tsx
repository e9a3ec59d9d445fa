import { Moon, Sun } from "lucide-react";
import { NavLink, Route, Routes, useLocation } from "react-router";
import { BakeoffPage } from "./pages/bakeoff/page";
import { BakeoffsPage } from "./pages/bakeoffs";
import { DataPage } from "./pages/data";
import { DatasetPage } from "./pages/dataset/page";
import { FlagsPage } from "./pages/flags";
import { HomePage } from "./pages/home";
import { NewBakeoffPage } from "./pages/new-bakeoff/page";
import { ReleasePage } from "./pages/release";
import { ReleasesPage } from "./pages/releases";
import { ScenariosPage } from "./pages/scenarios/list";
import { NewScenarioPage } from "./pages/scenarios/new";
import { ScenarioPage } from "./pages/scenarios/page";
import { applyTheme, useTheme } from "./theme";
import { Fence } from "./ui/fence";
import { Lead, Page } from "./ui/page";

const places = [
  ["/data", "Data"],
  ["/bakeoffs", "Bake-offs"],
  ["/releases", "Releases"],
  ["/scenarios", "Scenarios"],
  ["/flags", "Flags"],
] as const;

export function App() {
  const { pathname } = useLocation();
  return (
    <div className="min-h-screen">
      <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:p-2">
        Skip to the page
      </a>
      <header className="border-b border-rule">
        <nav aria-label="Main" className="mx-auto flex max-w-page items-center gap-6 px-6">
          <NavLink to="/" className="flex items-center gap-2 py-3 text-title font-semibold">
            <img src="/kettle.svg" alt="" className="h-5 w-5" /> Paper Kettle
          </NavLink>
          {places.map(([to, name]) => (
            <NavLink
              key={to}
              to={to}
              className={({ isActive }) =>
                `border-b-2 py-3 ${isActive ? "border-copper font-medium" : "border-transparent text-soft hover:text-ink"}`
              }
            >
              {name}
            </NavLink>
          ))}
          <span className="flex-1" />
          <ThemeSwitch />
        </nav>
      </header>
      <main id="main" className="mx-auto max-w-page px-6 py-5">
        <Fence place={pathname}>
          <Routes>
            <Route path="/" element={<HomePage />} />
            <Route path="/data" element={<DataPage />} />
            <Route path="/data/:dataset" element={<DatasetPage />} />
            <Route path="/bakeoffs" element={<BakeoffsPage />} />
            <Route path="/bakeoffs/new" element={<NewBakeoffPage />} />
            <Route path="/bakeoffs/:bakeoff" element={<BakeoffPage />} />
            <Route path="/releases" element={<ReleasesPage />} />
            <Route path="/releases/:release" element={<ReleasePage />} />
            <Route path="/scenarios" element={<ScenariosPage />} />
            <Route path="/scenarios/new" element={<NewScenarioPage />} />
            <Route path="/scenarios/:scenario" element={<ScenarioPage />} />
            <Route path="/flags" element={<FlagsPage />} />
            <Route path="*" element={<Lost />} />
          </Routes>
        </Fence>
      </main>
    </div>
  );
}

function Lost() {
  return (
    <Page title="Not found">
      <Lead>There is no page at this address: choose one above.</Lead>
    </Page>
  );
}

function ThemeSwitch() {
  const theme = useTheme();
  const night = theme === "night";
  return (
    <button
      type="button"
      onClick={() => applyTheme(night ? "day" : "night")}
      className="flex items-center gap-1.5 py-2 text-soft hover:text-ink"
    >
      {night ? <Sun size={15} aria-hidden /> : <Moon size={15} aria-hidden />}
      {night ? "Day" : "Night"}
    </button>
  );
}
