import { Suspense, type ComponentType } from 'react';
import { lazily } from '../shell/lazily';

/** A picture or a form of one view of several, fetched when it is first shown; its room is kept meanwhile. */
export function lazyChart<P extends object, M extends Record<string, unknown>>(
  load: () => Promise<M>,
  name: keyof M & string,
  heightPx: number,
): ComponentType<P> {
  const Chart = lazily<P, M>(load, name) as unknown as ComponentType<P>;
  return function Held(props: P) {
    return (
      <Suspense fallback={<div style={{ height: heightPx }} />}>
        <Chart {...props} />
      </Suspense>
    );
  };
}

/** The props of a component of a module that is fetched later. */
export type PropsOf<F> = F extends (props: infer P) => unknown ? P & object : never;
