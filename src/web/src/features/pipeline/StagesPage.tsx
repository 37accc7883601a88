import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { NameForm } from '../../ui/NameForm';
import { said } from '../../ui/undo';
import { phrase } from '../../words/phrase';
import { NameOf, some } from '../practice/NameOf';
import { TwoBecomeOne } from '../practice/TwoBecomeOne';
import { Say } from '../programs/Say';

type Stages = Schemas['StagesDto'];
type Named = { name: string; used: string[] };

/** What is to be called otherwise: a pipeline, a stage of it, or a reason. */
type Rename = { kind: 'stage'; pipeline: string; stage: string | null; to: string } | { kind: 'reason'; reason: string; to: string };

const longest = 80;

/** The practice’s own pipelines, stages and reasons: ordered, added, called otherwise and put together, everywhere at once. */
export default function StagesPage() {
  const queries = useQueryClient();
  const may = useMay('change-settings');
  const stages = useQuery({ queryKey: ['stages'], queryFn: () => take(api.GET('/api/stages')) });
  const [twins, setTwins] = useState<Rename>();
  const taken = (answer: Stages) => {
    queries.setQueryData(['stages'], answer);
    queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== 'stages' });
  };
  const save = useMutation({
    meta: { says: () => phrase('stages and reasons') },
    mutationFn: (next: Stages) =>
      take(
        api.PUT('/api/stages', {
          body: {
            pipelines: next.pipelines.map((p) => ({ name: p.name, stages: p.stages.map((s) => s.name) })),
            reasons: next.reasons.map((r) => r.name),
          },
        }),
      ),
    onSuccess: taken,
  });
  const rename = useMutation({
    meta: { says: (v: Rename & { asOne: boolean }) => phrase('called “{to}”', { to: v.to }) },
    mutationFn: (v: Rename & { asOne: boolean }) =>
      v.kind === 'reason'
        ? take(api.POST('/api/stages/reasons/rename', { body: { reason: v.reason, to: v.to, asOne: v.asOne } }))
        : take(api.POST('/api/stages/rename', { body: { pipeline: v.pipeline, stage: v.stage, to: v.to, asOne: v.asOne } })),
    onSuccess: taken,
  });
  if (stages.isPending) return <Loading what={phrase('Opening stages and reasons')} />;
  const now = stages.data;
  if (!now) return <Trouble error={stages.error} />;

  const set = (next: Stages) => save.mutate(next, { onSuccess: () => said(phrase('It is kept.'), () => save.mutateAsync(now)) });
  const call = (v: Rename) => {
    const old = v.kind === 'reason' ? v.reason : (v.stage ?? v.pipeline);
    if (v.to === old) return;
    const others =
      v.kind === 'reason' ? now.reasons : v.stage === null ? [] : (now.pipelines.find((p) => p.name === v.pipeline)?.stages ?? []);
    if (others.some((o) => o.name !== old && o.name.toLowerCase() === v.to.toLowerCase())) {
      setTwins(v);
      return;
    }
    rename.mutate(
      { ...v, asOne: false },
      {
        onSuccess: () =>
          said(phrase('“{old}” is called “{to}” now, everywhere.', { old, to: v.to }), () =>
            rename.mutateAsync(
              v.kind === 'reason'
                ? { kind: 'reason', reason: v.to, to: old, asOne: false }
                : {
                    kind: 'stage',
                    pipeline: v.stage === null ? v.to : v.pipeline,
                    stage: v.stage === null ? null : v.to,
                    to: old,
                    asOne: false,
                  },
            ),
          ),
      },
    );
  };
  const withPipeline = (i: number, of: (p: Stages['pipelines'][number]) => Stages['pipelines'][number]) =>
    set({ ...now, pipelines: now.pipelines.map((p, n) => (n === i ? of(p) : p)) });
  const busy = save.isPending || rename.isPending;
  return (
    <DayPage
      marginTitle={phrase('What it does')}
      margin={
        twins ? (
          <TwoBecomeOne
            to={twins.to}
            words={phrase('everything that stands in “{twins}” or asks for it', { twins: oldOf(twins) })}
            busy={busy}
            yes={() => rename.mutate({ ...twins, asOne: true }, { onSuccess: () => setTwins(undefined) })}
            no={() => setTwins(undefined)}
          />
        ) : (
          <>
            <h3>{phrase('What it does')}</h3>
            <p>
              {phrase(
                'A name is pressed to call it otherwise. That holds everywhere at once: people, opportunities, programs, segments, forms, and what has been. Nobody moves by it, and no program starts.',
              )}
            </p>
            <p className="mt-3">{phrase('Given the name of another, the two become one.')}</p>
            <p className="mt-3">
              {phrase('What people stand in, or what a program asks for, cannot be taken out; it can be put together with another.')}
            </p>
          </>
        )
      }
    >
      <PageHead title={phrase('Stages and reasons')} aside={<Link to="/pipeline">{phrase('Pipeline')}</Link>} />
      <div className="px-7" aria-live="polite">
        <Trouble error={save.error ?? rename.error} />
        {!may && <p className="text-small text-soft">{phrase('A principal changes these.')}</p>}
      </div>
      {now.pipelines.map((p, i) => (
        <section key={p.name} aria-label={p.name}>
          <Stretch
            title={p.name}
            note={
              may && (
                <span className="flex gap-3 text-small">
                  <NameOf
                    name={p.name}
                    what={phrase('pipeline')}
                    call={(to) => call({ kind: 'stage', pipeline: p.name, stage: null, to })}
                    plain={phrase('call it otherwise')}
                  />
                  {now.pipelines.length > 1 && p.stages.every((s) => s.people + s.open + s.used.length === 0) && (
                    <Button look="plain" disabled={busy} onClick={() => set({ ...now, pipelines: now.pipelines.toSpliced(i, 1) })}>
                      {phrase('take the pipeline out')}
                    </Button>
                  )}
                </span>
              )
            }
          />
          <Lines
            what={phrase('stage')}
            of={p.stages}
            says={(s) =>
              [
                s.people > 0 && phrase('{people, plural, one {# person} other {# people}}', { people: s.people }),
                s.open > 0 && phrase('{open, number} open', { open: s.open }),
              ]
                .filter(Boolean)
                .join(', ')
            }
            free={(s) => s.people + s.open + s.used.length === 0 && p.stages.length > 1}
            order={(list) => withPipeline(i, (x) => ({ ...x, stages: list }))}
            call={(stage, to) => call({ kind: 'stage', pipeline: p.name, stage, to })}
            add={(name) => withPipeline(i, (x) => ({ ...x, stages: [...x.stages, { name, people: 0, open: 0, used: [] }] }))}
            may={may}
            busy={busy}
          />
        </section>
      ))}
      {may && (
        <div className="row font-serif">
          <Say words={phrase('+ another pipeline')} label={phrase('Another pipeline')} soft>
            {(close) => (
              <NameForm
                label={phrase('What the pipeline is called')}
                words={phrase('Add the pipeline')}
                longest={longest}
                take={(name) => {
                  set({
                    ...now,
                    pipelines: [...now.pipelines, { name, stages: [{ name: phrase('Inquiry'), people: 0, open: 0, used: [] }] }],
                  });
                  close();
                }}
              />
            )}
          </Say>
        </div>
      )}
      <section aria-label={phrase('Why opportunities are lost')}>
        <Stretch title={phrase('Why opportunities are lost')} />
        <Lines
          what={phrase('reason')}
          of={now.reasons}
          says={(r) => (r.lost > 0 ? phrase('{lost, number} lost', { lost: r.lost }) : '')}
          free={(r) => r.used.length === 0}
          order={(reasons) => set({ ...now, reasons })}
          call={(reason, to) => call({ kind: 'reason', reason, to })}
          add={(name) => set({ ...now, reasons: [...now.reasons, { name, lost: 0, used: [] }] })}
          may={may}
          busy={busy}
        />
      </section>
    </DayPage>
  );
}

const oldOf = (v: Rename) => (v.kind === 'reason' ? v.reason : v.stage);

/** Lines of names in order, each called otherwise, put earlier, or taken out where nothing is in the way. */
function Lines<T extends Named>({
  what,
  of,
  says,
  free,
  order,
  call,
  add,
  may,
  busy,
}: {
  what: string;
  of: T[];
  says: (one: T) => string;
  free: (one: T) => boolean;
  order: (next: T[]) => void;
  call: (name: string, to: string) => void;
  add: (name: string) => void;
  may: boolean;
  busy: boolean;
}) {
  return (
    <>
      {of.map((one, i) => (
        <div key={one.name} className="row flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <span className="gutter">{i + 1}</span>
          <span className="font-serif">{may ? <NameOf name={one.name} what={what} call={(to) => call(one.name, to)} /> : one.name}</span>
          <span className="min-w-0 flex-1 text-small text-soft">
            {says(one)}
            {one.used.length > 0 && phrase('{one}asked for by {used}', { one: says(one) && ' · ', used: some(one.used) })}
          </span>
          {may && (
            <span className="flex gap-3 text-small">
              {i > 0 && (
                <Button
                  look="plain"
                  className="min-h-6 min-w-6"
                  disabled={busy}
                  aria-label={phrase('“{one}” earlier', { one: one.name })}
                  onClick={() => order([...of.slice(0, i - 1), one, of[i - 1] as T, ...of.slice(i + 1)])}
                >
                  ↑
                </Button>
              )}
              {free(one) && (
                <Button
                  look="plain"
                  disabled={busy}
                  aria-label={phrase('Take “{one}” out', { one: one.name })}
                  onClick={() => order(of.toSpliced(i, 1))}
                >
                  {phrase('take out')}
                </Button>
              )}
            </span>
          )}
        </div>
      ))}
      {may && (
        <div className="row font-serif">
          <Say words={phrase('+ another {what}', { what })} label={phrase('Another {what}', { what })} soft>
            {(close) => (
              <NameForm
                label={phrase('What the {what} is called', { what })}
                words={phrase('Add the {what}', { what })}
                longest={longest}
                take={(name) => {
                  add(name);
                  close();
                }}
              />
            )}
          </Say>
        </div>
      )}
    </>
  );
}
