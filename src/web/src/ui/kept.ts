import { useCallback, useState } from 'react';

const prefix = 'germinal.kept.';

/** What was kept under a name on this machine; undefined for nothing, or for what cannot be read. */
export function keptUnder<T>(name: string): T | undefined {
  try {
    const words = localStorage.getItem(prefix + name);
    return words === null ? undefined : (JSON.parse(words) as T);
  } catch {
    return undefined;
  }
}

/** Keeps a value on this machine; undefined takes it away. A browser that keeps nothing loses only the safety. */
export function keep(name: string, value: unknown) {
  try {
    if (value === undefined) localStorage.removeItem(prefix + name);
    else localStorage.setItem(prefix + name, JSON.stringify(value));
  } catch {
    // Full, or not allowed.
  }
}

/** Takes away everything that is kept: whoever signs out leaves nothing on the machine. */
export function forgetAll() {
  try {
    for (const key of Object.keys(localStorage)) if (key.startsWith(prefix)) localStorage.removeItem(key);
  } catch {
    // Nothing was kept.
  }
}

/**
 * State that outlives a reload and a lost connection: kept on this machine until `done` is called.
 * @param name under which it is kept; another name, another state
 * @param blank what it is where nothing is kept
 */
export function useKept<T>(name: string, blank: T) {
  const [value, setValue] = useState<T>(() => keptUnder<T>(name) ?? blank);
  const set = useCallback(
    (next: T) => {
      setValue(next);
      keep(name, next);
    },
    [name],
  );
  const done = useCallback(() => {
    setValue(blank);
    keep(name, undefined);
  }, [name]);
  return [value, set, done] as const;
}
