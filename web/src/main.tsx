import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css';
import { StrictMode, useEffect } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { SWRConfig } from 'swr';
import { ApiProblem } from './api/client';
import { useLive, useSession } from './api/hooks';
import { Board } from './board/Board';
import { JobShell } from './shell/JobShell';
import { SignIn } from './shell/SignIn';
import { theme } from './shell/preferences';
import { Page, ProblemNote } from './ui/parts';
import { GlobalStyle } from './ui/theme';
import type { Person } from '@cellmend/contract/people';

function Signed({ person, page }: { person: Person; page: 'board' | 'job' }) {
  useLive();
  return page === 'board' ? <Board person={person} /> : <JobShell person={person} />;
}

/** Shows a page to whoever is signed in, the sign-in to whoever is not. */
function Gate({ page }: { page: 'board' | 'job' }) {
  const { data, error } = useSession();
  const [shown] = theme.use();
  useEffect(() => {
    document.documentElement.dataset.theme = shown;
  }, [shown]);
  if (!data && error)
    return (
      <Page>
        <h1>The server is away</h1>
        <ProblemNote
          what="It is tried again every few seconds."
          accepted={error instanceof ApiProblem ? error.message : 'Start it with npm start.'}
        />
      </Page>
    );
  if (!data) return null;
  return data.person ? <Signed person={data.person} page={page} /> : <SignIn session={data} />;
}

const router = createBrowserRouter([
  { path: '/', element: <Gate page="board" /> },
  { path: '/jobs/:number', element: <Gate page="job" /> },
  { path: '/jobs/:number/:stage', element: <Gate page="job" /> },
  { path: '*', element: <Navigate to="/" replace /> },
]);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <SWRConfig value={{ errorRetryInterval: 3000, revalidateOnFocus: true, dedupingInterval: 500 }}>
      <GlobalStyle />
      <RouterProvider router={router} />
    </SWRConfig>
  </StrictMode>,
);
