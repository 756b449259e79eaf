import { t } from '@lingui/core/macro'
import { lazy, Suspense } from 'react'
import { Link, Navigate, Route, Routes, useLocation } from 'react-router'
import { Boundary } from './parts/boundary'
import { early } from './parts/early'
import { Shell } from './parts/shell'
import { WhoGate } from './parts/who'
import { CallsScreen } from './screens/calls/calls-screen'

const CallScreen = lazy(
  early(() => import('./screens/call/call-screen').then((m) => ({ default: m.CallScreen }))),
)
const UnitsScreen = lazy(
  early(() => import('./screens/units/units-screen').then((m) => ({ default: m.UnitsScreen }))),
)
const UnitScreen = lazy(
  early(() => import('./screens/units/unit-screen').then((m) => ({ default: m.UnitScreen }))),
)
const DayScreen = lazy(
  early(() => import('./screens/day/day-screen').then((m) => ({ default: m.DayScreen }))),
)
const DueScreen = lazy(
  early(() => import('./screens/day/due-screen').then((m) => ({ default: m.DueScreen }))),
)
const FleetScreen = lazy(
  early(() => import('./screens/units/fleet-screen').then((m) => ({ default: m.FleetScreen }))),
)
const LabScreen = lazy(
  early(() => import('./screens/lab/lab-screen').then((m) => ({ default: m.LabScreen }))),
)
const CircuitsScreen = lazy(
  early(() => import('./screens/circuits/circuits-screen').then((m) => ({ default: m.CircuitsScreen }))),
)
const VanScreen = lazy(
  early(() => import('./screens/van/van-screen').then((m) => ({ default: m.VanScreen }))),
)
const ShopScreen = lazy(
  early(() => import('./screens/shop/shop-screen').then((m) => ({ default: m.ShopScreen }))),
)
const BenchScreen = lazy(
  early(() => import('./screens/bench/bench-screen').then((m) => ({ default: m.BenchScreen }))),
)
const ScoreScreen = lazy(() =>
  import('./screens/bench/score-screen').then((m) => ({ default: m.ScoreScreen })),
)
const HandbookScreen = lazy(
  early(() => import('./screens/handbook/handbook-screen').then((m) => ({ default: m.HandbookScreen }))),
)

export function App() {
  const { pathname } = useLocation()
  return (
    <WhoGate>
      <Shell>
        <Boundary place={pathname}>
          <Suspense fallback={<p className="p-6">{t`Opening…`}</p>}>
            <Routes>
              <Route path="/" element={<Navigate to="/calls" replace />} />
              <Route path="/calls" element={<CallsScreen />} />
              <Route path="/calls/:id" element={<CallScreen />} />
              <Route path="/calls/:id/:rung" element={<CallScreen />} />
              <Route path="/day" element={<DayScreen />} />
              <Route path="/due" element={<DueScreen />} />
              <Route path="/fleet" element={<FleetScreen />} />
              <Route path="/units" element={<UnitsScreen />} />
              <Route path="/units/:id" element={<UnitScreen />} />
              <Route path="/lab" element={<LabScreen />} />
              <Route path="/circuits" element={<CircuitsScreen />} />
              <Route path="/van" element={<VanScreen />} />
              <Route path="/shop" element={<ShopScreen />} />
              <Route path="/bench" element={<BenchScreen />} />
              <Route path="/score/:id" element={<ScoreScreen />} />
              <Route path="/handbook" element={<HandbookScreen />} />
              <Route path="/handbook/:page" element={<HandbookScreen />} />
              <Route
                path="*"
                element={
                  <div className="p-6">
                    <h1 className="text-xl font-bold">{t`Page not found`}</h1>
                    <Link to="/calls" className="underline">{t`Go to Calls`}</Link>
                  </div>
                }
              />
            </Routes>
          </Suspense>
        </Boundary>
      </Shell>
    </WhoGate>
  )
}
