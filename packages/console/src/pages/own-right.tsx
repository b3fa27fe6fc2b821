import { ApiError } from '@nimble-latch/api/client';
import { createContext, useContext, useRef, useState, type ReactNode } from 'react';
import { words } from './messages/index.js';
import { OwnSignIn } from './own-sign-in.js';

type Act<T> = (right: string) => Promise<T>;
interface OwnCalls {
  /** Does something by the right; where that takes a fresh proof, it is asked for first, and then done. */
  readonly run: <T>(act: Act<T>) => Promise<T>;
}

const Own = createContext<OwnCalls | undefined>(undefined);

/** What somebody does by the right that they have. */
export function useOwn(): OwnCalls {
  const own = useContext(Own);
  if (!own) throw new Error('outside of OwnRight');
  return own;
}

/**
 * Holds the right of whoever looks after what is theirs, and has them prove it is them once more where something takes that: what they
 * were at stays as it is meanwhile.
 *
 * @param props.loginName by which they came; null where a key or an invitation said it
 * @param props.within it is part of a sign-in at an application, and goes back there by this right and no other
 */
export function OwnRight({
  right: first,
  loginName,
  within,
  children,
}: {
  right: string;
  loginName: string | null;
  within: boolean;
  children: ReactNode;
}) {
  const right = useRef(first);
  const [asking, setAsking] = useState<{ readonly answer: (fresh: string | undefined) => void }>();
  const calls = useRef<OwnCalls>({
    run: async (act) => {
      try {
        return await act(right.current);
      } catch (error) {
        if (!(error instanceof ApiError) || error.code !== 'proof-old') throw error;
        const fresh = await new Promise<string | undefined>((resolve) => setAsking({ answer: resolve }));
        setAsking(undefined);
        if (fresh === undefined) throw error;
        if (!within) right.current = fresh;
        return await act(fresh);
      }
    },
  });
  return (
    <Own.Provider value={calls.current}>
      <div hidden={asking !== undefined}>{children}</div>
      {asking && (
        <OwnSignIn
          place="enrolment"
          title={words.own.freshTitle}
          intro={words.own.freshText}
          notHere={words.enrolling.notHere}
          again={{ loginName, onBack: () => asking.answer(undefined), onRight: asking.answer }}
        />
      )}
    </Own.Provider>
  );
}
