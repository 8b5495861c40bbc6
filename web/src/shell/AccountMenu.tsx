import { Menu, MenuItem, MenuTrigger, Popover } from 'react-aria-components';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { useSWRConfig } from 'swr';
import { send } from '../api/client';
import { Me } from './Me';

const Pop = styled(Popover)`
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 6px;
  box-shadow: 0 8px 24px #0004;
  min-width: 200px;
  [role='menuitem'] {
    padding: 12px 16px;
    cursor: pointer;
    outline: none;
  }
  [data-focused] {
    background: var(--mat-soft);
  }
`;

/** The way out. @param open it was pressed before it was here. */
export function AccountMenu({ name, open }: { name: string; open: boolean }) {
  const { mutate } = useSWRConfig();
  const navigate = useNavigate();
  const leave = async (): Promise<void> => {
    await send('DELETE', '/session');
    await mutate(() => true, undefined, { revalidate: true });
    void navigate('/');
  };
  return (
    <MenuTrigger defaultOpen={open}>
      <Me>{name}</Me>
      <Pop>
        <Menu aria-label="Account">
          <MenuItem onAction={() => void leave()}>Sign out</MenuItem>
        </Menu>
      </Pop>
    </MenuTrigger>
  );
}
