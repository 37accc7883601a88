import { useMutation, useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

/** So few are written to at once without a list: whoever has more brings them in, and writes to a segment. */
const few = 10;

/** The first letter: written at once to whoever is there, or by a program. */
export function FirstLetter() {
  const go = useNavigate();
  const people = useQuery({
    queryKey: ['people', 'first'],
    queryFn: () => take(api.GET('/api/people', { params: { query: { most: few } } })),
  });
  const write = useMutation({
    mutationFn: (ids: string[]) =>
      take(
        api.POST('/api/broadcasts', {
          body: {
            name: phrase('The first letter'),
            plan: { to: { kind: 'people', name: '', did: '', people: ids }, ways: [{ kind: 'email', subject: '', body: '', letter: '' }] },
          },
        }),
      ),
    onSuccess: (made) => go(`/programs/broadcasts/${made.id}`),
  });
  const found = people.data?.rows ?? [];
  return (
    <div className="mt-2">
      <p className="m-0 flex flex-wrap items-center gap-5">
        {found.length > 0 && (
          <Button look="main" disabled={write.isPending} onClick={() => write.mutate(found.map((p) => p.id))}>
            <Sentence
              m="Write to {found} now"
              v={{
                found:
                  found.length === 1 ? found[0]?.name : phrase('{found, plural, one {# person} other {# people}}', { found: found.length }),
              }}
            />
          </Button>
        )}
        <Link className="inline-flex min-h-6 items-center" to="/programs">
          {found.length > 0 ? phrase('or switch a program on') : phrase('Switch a program on')}
        </Link>
      </p>
      <Trouble error={people.error ?? write.error} />
    </div>
  );
}
