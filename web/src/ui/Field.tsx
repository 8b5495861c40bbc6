import { Children, createContext, isValidElement, use, type ComponentProps, type ReactNode } from 'react';
import { useField } from 'react-aria/useField';
import styled from 'styled-components';

/** What ties a control to the label, the hint and the message of the field it stands in. */
const Ties = createContext<ReturnType<typeof useField>['fieldProps'] | null>(null);

const box = `
  font-weight: 450;
  width: 100%;
  min-height: 44px;
  border: 1px solid var(--edge);
  border-radius: 6px;
  background: var(--sheet);
  color: var(--ink);
  &:focus {
    outline: 3px solid var(--mat-text);
    outline-offset: 0;
  }
  &::placeholder {
    color: var(--mute);
  }
`;
const StyledInput = styled.input`
  ${box}
  padding: 6px 12px;
`;
const StyledSelect = styled.select`
  ${box}
  padding: 6px 10px;
`;
const StyledText = styled.textarea`
  ${box}
  padding: 6px 12px;
  min-height: 74px;
  resize: vertical;
  line-height: 1.4;
`;

export const Input = (props: ComponentProps<'input'>) => <StyledInput {...use(Ties)} {...props} />;
export const Select = (props: ComponentProps<'select'>) => <StyledSelect {...use(Ties)} {...props} />;
export const TextArea = (props: ComponentProps<'textarea'>) => <StyledText {...use(Ties)} {...props} />;

const Column = styled.div`
  display: flex;
  flex-direction: column;
  gap: 4px;
  font-weight: 600;
  font-size: var(--t-s);
  min-width: 0;
  /* Two beside each other on a phone, however many stand in a row at the bench. */
  @media (max-width: 640px) {
    flex: 1 1 40% !important;
    overflow-wrap: anywhere;
  }
  small {
    font-weight: 400;
    color: var(--mute);
  }
  span > small {
    margin-left: 0.5em;
  }
  small[role='alert'] {
    color: var(--bad);
  }
`;

/**
 * A label, a control and what is said of it, tied together: the words before the control are its label, a `<small>` its
 * description, a `<small role="alert">` what is wrong with it.
 */
export function Field({ children, style }: { children: ReactNode; style?: ComponentProps<'div'>['style'] }) {
  const all = Children.toArray(children);
  const said = all.filter((c) => isValidElement<{ role?: string }>(c) && c.type === 'small');
  const wrong = said.filter((c) => isValidElement<{ role?: string }>(c) && c.props.role === 'alert');
  const rest = all.filter((c) => !said.includes(c));
  const from = rest.findIndex((c) => isValidElement(c));
  const label = from < 0 ? rest : rest.slice(0, from);
  const { labelProps, fieldProps, descriptionProps, errorMessageProps } = useField({
    label,
    description: said.length > wrong.length ? said : undefined,
    errorMessage: wrong.length > 0 ? wrong : undefined,
    isInvalid: wrong.length > 0,
  });
  return (
    <Column style={style}>
      <label {...labelProps}>{label}</label>
      {from >= 0 && <Ties value={fieldProps}>{rest.slice(from)}</Ties>}
      {said.length > wrong.length && (
        <div {...descriptionProps}>{said.filter((c) => !wrong.includes(c))}</div>
      )}
      {wrong.length > 0 && <div {...errorMessageProps}>{wrong}</div>}
    </Column>
  );
}

/** A choice of several buttons under one heading; the buttons carry its name themselves. */
export function FieldGroup({ children }: { children: ReactNode }) {
  const all = Children.toArray(children);
  const from = all.findIndex((c) => isValidElement(c) && c.type !== 'small');
  return (
    <Column>
      <span>{all.slice(0, from < 0 ? undefined : from)}</span>
      {from >= 0 && all.slice(from)}
    </Column>
  );
}
