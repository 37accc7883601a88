import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import type { Schemas } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { NameForm } from '../../ui/NameForm';
import { phrase } from '../../words/phrase';
import { Say } from '../programs/Say';

/**
 * The people behind a number, in the margin, and what can be done with them: on a list, calls for who looks after them, and what else fits.
 * @param title what the number is of
 * @param queryKey under which they are kept
 * @param ask asks who they are
 * @param toList puts them on a list
 * @param toCalls puts calls to them on sheets
 * @param about what the calls are about, to begin with
 * @param more what else can be done with them
 * @param close back to what stood in the margin before
 */
export function PeopleBehind({
  title,
  queryKey,
  ask,
  toList,
  toCalls,
  about,
  more,
  close,
}: {
  title: string;
  queryKey: readonly unknown[];
  ask: () => Promise<Schemas['BehindNumber']>;
  toList: (list: string) => Promise<Schemas['DoneForMany']>;
  toCalls: (title: string) => Promise<Schemas['DoneForMany']>;
  about: string;
  more?: ReactNode;
  close: () => void;
}) {
  const who = useQuery({ queryKey, placeholderData: keepPreviousData, queryFn: ask });
  const list = useMutation({
    mutationFn: toList,
    onSuccess: (answer, name) =>
      toast(phrase('{count, plural, one {# person is} other {# people are}} on the list “{name}” now.', { count: answer.count, name })),
  });
  const calls = useMutation({
    mutationFn: toCalls,
    onSuccess: (answer) =>
      toast(
        phrase('{count, plural, one {# call stands} other {# calls stand}} on the sheets of those who look after them.', {
          count: answer.count,
        }),
      ),
  });
  return (
    <>
      <p className="float-right">
        <Button look="plain" onClick={close}>
          {phrase('back')}
        </Button>
      </p>
      <h3>{title}</h3>
      {!who.data ? (
        <Trouble error={who.error} />
      ) : (
        <>
          <p aria-live="polite">{phrase('{count, plural, one {# person} other {# people}}', { count: who.data.count })}</p>
          {who.data.count > 0 && (
            <p className="my-2 flex flex-wrap gap-x-4 gap-y-1">
              <Say words={phrase('put them on a list')} label={phrase('Put them on a list')}>
                {(done) => (
                  <NameForm
                    label={phrase('The list')}
                    words={phrase('Put them on')}
                    longest={200}
                    take={(name) => {
                      list.mutate(name);
                      done();
                    }}
                  />
                )}
              </Say>
              <Say words={phrase('calls for who looks after them')} label={phrase('Calls for who looks after them')}>
                {(done) => (
                  <NameForm
                    label={phrase('What the calls are about')}
                    words={phrase('Put them up')}
                    longest={400}
                    start={about}
                    take={(words) => {
                      calls.mutate(words);
                      done();
                    }}
                  />
                )}
              </Say>
              {more}
            </p>
          )}
          <Trouble error={list.error ?? calls.error} />
          <ul className="m-0 list-none p-0" aria-label={phrase('Who that is')}>
            {who.data.people.map((p) => (
              <li key={p.id} className="py-0.5">
                <Link to={`/people/${p.id}`} className="inline-flex min-h-6 items-center">
                  {p.name}
                </Link>
              </li>
            ))}
          </ul>
          {who.data.count > who.data.people.length && (
            <p className="text-small text-soft">{phrase('and {count, number} more', { count: who.data.count - who.data.people.length })}</p>
          )}
        </>
      )}
    </>
  );
}
