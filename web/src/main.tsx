import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css';
import { StrictMode, Suspense, useEffect, type ComponentType } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { SWRConfig, useSWRConfig } from 'swr';
import { ApiProblem, signedIn } from './api/client';
import { useSession } from './api/hooks';
import { keepForDeadSpots } from './api/kept';
import { useLive } from './api/live';
import { queueFor, startQueue, whenSent } from './api/queue';
import { Awaiting } from './shell/Awaiting';
import { Caught } from './shell/Caught';
import { fetchAllViews, lazily } from './shell/lazily';
import { theme } from './shell/preferences';
import { Page, ProblemNote } from './ui/parts';
import { restyleOnTurn } from './ui/restyle';
import { GlobalStyle } from './ui/theme';
import { showIn } from './ui/units';
import type { Person, Session } from '@cellmend/contract/people';

interface PageProps {
  person: Person;
}
const PAGES: Record<string, ComponentType<PageProps>> = {
  board: lazily(() => import('./board/Board'), 'Board'),
  job: lazily(() => import('./shell/JobShell'), 'JobShell'),
  packs: lazily(() => import('./packs/Packs'), 'Packs'),
  pack: lazily(() => import('./packs/PackEditor'), 'PackEditor'),
  vehicles: lazily(() => import('./vehicles/Vehicles'), 'Vehicles'),
  vehicle: lazily(() => import('./vehicles/VehiclePage'), 'VehiclePage'),
  lookingBack: lazily(() => import('./learn/LookingBackPage'), 'LookingBackPage'),
  stock: lazily(() => import('./stock/Stock'), 'Stock'),
  partLabel: lazily(() => import('./stock/PartLabel'), 'PartLabel'),
  lidNote: lazily(() => import('./stock/LidNote'), 'LidNote'),
  people: lazily(() => import('./people/People'), 'People'),
  instruments: lazily(() => import('./people/Instruments'), 'Instruments'),
};
type PageName = keyof typeof PAGES;
/** By itself: whoever is signed in need not wait for it. */
const SignIn = lazily<{ session: Session }, typeof import('./shell/SignIn')>(
  () => import('./shell/SignIn'),
  'SignIn',
);

function Signed({ person, page }: { person: Person; page: PageName }) {
  // Before anything below can send: whose page this is.
  signedIn(person.id);
  queueFor(person.name);
  useLive();
  const { mutate } = useSWRConfig();
  useEffect(() => {
    whenSent(
      (numbers) =>
        void mutate(
          (key) =>
            typeof key === 'string' &&
            (numbers.some((n) => key === `/jobs/${n}` || key.startsWith(`/jobs/${n}/`)) ||
              key === '/clocks' ||
              key === '/jobs'),
        ),
    );
    return startQueue();
  }, [mutate, person.id]);
  useEffect(fetchAllViews, []);
  const View = PAGES[page]!;
  return (
    <Caught key={page}>
      <Suspense fallback={<Awaiting />}>
        <View person={person} />
      </Suspense>
    </Caught>
  );
}

/** Shows a page to whoever is signed in, the sign-in to whoever is not. */
function Gate({ page }: { page: PageName }) {
  const { data, error } = useSession();
  const [shown] = theme.use();
  useEffect(() => {
    document.documentElement.dataset.theme = shown;
  }, [shown]);
  if (!data && error)
    return (
      <Page as="main">
        <h1>The server is away</h1>
        <ProblemNote
          what="It is tried again every few seconds."
          accepted={error instanceof ApiProblem ? error.message : 'Start it with npm start.'}
        />
      </Page>
    );
  if (!data) return null;
  showIn(data.units);
  if (!data.person) signedIn(null);
  if (data.person) return <Signed person={data.person} page={page} />;
  return (
    <Caught>
      <Suspense fallback={<Awaiting />}>
        <SignIn session={data} />
      </Suspense>
    </Caught>
  );
}

/** Looks at everything shown once more, once this tablet keeps it. */
function DeadSpots() {
  const { mutate } = useSWRConfig();
  useEffect(() => keepForDeadSpots(() => void mutate(() => true)), [mutate]);
  return null;
}

const router = createBrowserRouter([
  { path: '/', element: <Gate page="board" /> },
  { path: '/jobs/:number', element: <Gate page="job" /> },
  { path: '/jobs/:number/lid-note', element: <Gate page="lidNote" /> },
  { path: '/jobs/:number/:stage', element: <Gate page="job" /> },
  { path: '/packs', element: <Gate page="packs" /> },
  { path: '/packs/:id', element: <Gate page="pack" /> },
  { path: '/vehicles', element: <Gate page="vehicles" /> },
  { path: '/vehicles/:id', element: <Gate page="vehicle" /> },
  { path: '/looking-back', element: <Gate page="lookingBack" /> },
  { path: '/stock', element: <Gate page="stock" /> },
  { path: '/stock/:id', element: <Gate page="stock" /> },
  { path: '/stock/:id/label', element: <Gate page="partLabel" /> },
  { path: '/people', element: <Gate page="people" /> },
  { path: '/instruments', element: <Gate page="instruments" /> },
  { path: '*', element: <Navigate to="/" replace /> },
]);

restyleOnTurn();
createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <SWRConfig value={{ errorRetryInterval: 3000, revalidateOnFocus: true, dedupingInterval: 500 }}>
      <GlobalStyle />
      <DeadSpots />
      <RouterProvider router={router} />
    </SWRConfig>
  </StrictMode>,
);
