import { useState } from 'react';

/**
 * What is written in a place that Escape leaves: once something was typed, leaving is asked about first; a second Escape says
 * yes. Give `typed` to `onInput` of what is written in.
 * @param initially true where something stands there already that would be lost
 */
export function useAsking(initially = false) {
  const [dirty, setDirty] = useState(initially);
  const [asking, setAsking] = useState(false);
  return {
    /** Whether it is being asked about. */
    asking,
    typed: () => setDirty(true),
    goOn: () => setAsking(false),
    /** As if nothing had been typed. */
    afresh: () => {
      setDirty(false);
      setAsking(false);
    },
    /** Whether it may be left now; where not, it is asked about from now on. */
    mayLeave: (byEscape: boolean) => {
      if (!dirty || (asking && byEscape)) return true;
      setAsking(true);
      return false;
    },
  };
}
