import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Sentence } from '../../words/Sentence';

/** On Today, while a practice begins: how far that is, and where it goes on. */
export function BeginningLine() {
  const begins = useSession().data?.begins ?? false;
  const beginning = useQuery({ queryKey: ['beginning'], enabled: begins, queryFn: () => take(api.GET('/api/beginning')) });
  if (!begins || !beginning.data) return null;
  const parts = beginning.data.parts;
  if (parts.every((p) => p.done || p.putOff)) return null;
  return (
    <p className="mx-7 mt-0 mb-3 border-l-[3px] border-leaf bg-leaf-pale px-4 py-2.5 max-[699px]:mx-4">
      <Sentence
        m="{practice} is at its beginning: {length, number} of {parts, number} parts are done. <link>Go on with it</link>"
        v={{
          practice: beginning.data.practice,
          length: parts.filter((p) => p.done).length,
          parts: parts.length,
          link: (c) => (
            <Link className="inline-flex min-h-6 items-center" to="/beginning">
              {c}
            </Link>
          ),
        }}
      />
    </p>
  );
}
