import { useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button } from '../../ui/bits';
import { PauseButton } from '../../ui/PauseButton';
import { said } from '../../ui/undo';
import { day } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { undoEvent } from './acts';
import { usePersonChange } from './usePersonChange';

type Doing = { run: Schemas['RunDto']; what: 'pause' | 'resume' | 'stop'; until?: string | null };

const doneWords = { stop: phrase('stopped'), pause: phrase('paused'), resume: phrase('goes on') };

/** The programs a person is on, and pausing or stopping each for them. */
export function OnNow({ person: p }: { person: Schemas['PersonDto'] }) {
  const { now, zone } = useNow();
  const queries = useQueryClient();
  const says = ({ run, what }: Doing) =>
    phrase('“{program}” {doneWords} for {name}', { program: run.program, doneWords: doneWords[what], name: p.name });
  const act = usePersonChange(p.id, says, async ({ run, what, until }: Doing) => {
    const path = { params: { path: { id: p.id, run: run.id } } };
    const { event } = await take(
      what === 'stop'
        ? api.POST('/api/people/{id}/runs/{run}/stop', path)
        : what === 'pause'
          ? api.POST('/api/people/{id}/runs/{run}/pause', { params: { ...path.params, query: { until: until ?? undefined } } })
          : api.POST('/api/people/{id}/runs/{run}/resume', path),
    );
    said(says({ run, what }), () => undoEvent(p.id, event, queries));
  });
  if (p.runs.length === 0) return null;
  return (
    <>
      <h3>{phrase('On now')}</h3>
      <ul className="m-0 mb-4 list-none p-0">
        {p.runs.map((r) => (
          <li key={r.id} className="border-t border-dotted border-rule py-1">
            <Link to={`/programs/${r.programId}`} className="block leading-6 text-ink no-underline hover:underline">
              {r.program}
            </Link>
            <span className="flex flex-wrap items-baseline gap-x-3">
              {r.paused ? (
                <span className="text-straw">
                  {phrase('paused{pausedUntil}', {
                    pausedUntil: r.pausedUntil ? phrase(' until {pausedUntil}', { pausedUntil: day(r.pausedUntil, zone, now) }) : '',
                  })}
                </span>
              ) : (
                <span className="text-soft">{phrase('day {day, number}', { day: r.day })}</span>
              )}
              {r.paused ? (
                <Button
                  look="plain"
                  className="leading-6"
                  onClick={() => act.mutate({ run: r, what: 'resume' })}
                  aria-label={phrase('Go on with {program} for {name}', { program: r.program, name: p.name })}
                >
                  {phrase('go on')}
                </Button>
              ) : (
                <PauseButton
                  words={phrase('pause')}
                  label={phrase('Pause {program} for {name}', { program: r.program, name: p.name })}
                  what={phrase('“{program}” rests for {name}; what falls due meanwhile is judged when it goes on.', {
                    program: r.program,
                    name: p.name,
                  })}
                  pause={(until) => act.mutateAsync({ run: r, what: 'pause', until })}
                />
              )}
              <Button
                look="plain"
                className="leading-6"
                onClick={() => act.mutate({ run: r, what: 'stop' })}
                aria-label={phrase('Stop {program} for {name}', { program: r.program, name: p.name })}
              >
                {phrase('stop')}
              </Button>
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}
