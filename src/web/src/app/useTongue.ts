import { useEffect } from 'react';
import { useLocation } from 'react-router';
import { changeTongue } from '../words/locale';

/** Pages one leaves once one is in. Loaded anew, some would ask for a link that is spent. */
const doors: ReadonlySet<string> = new Set(['/sign-in', '/join', '/new-password', '/keep', '/begin']);

/**
 * Whoever signs in reads on in their own language, and the next one too who comes to this browser: the page is loaded anew in it,
 * but only where one has come in.
 * @param tongue Of whoever is signed in; nothing while nobody is.
 */
export function useTongue(tongue: string | null | undefined) {
  const atDoor = doors.has(useLocation().pathname);
  useEffect(() => {
    if (tongue && !atDoor) changeTongue(tongue);
  }, [tongue, atDoor]);
}
