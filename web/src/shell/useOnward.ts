import { useLocation, useNavigate } from 'react-router';

/**
 * On to where an answer leads, for whoever still waits where it was asked: on a slow net one goes on working, and is not taken away from
 * there by what was signed before.
 */
export function useOnward(): (path: string) => void {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  return (path) => {
    if (globalThis.location.pathname === pathname) void navigate(path);
  };
}
