import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Trouble } from '../../ui/bits';
import { day } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { differences } from './programDifferences';
import type { ProgramFile } from './programFile';

type Props = {
  id: string;
  loaded: Schemas['ProgramDto'];
  draft: ProgramFile;
  number: number;
  changed: boolean;
  ready: () => Promise<number>;
};

/** What is to be read before a program goes: what is different, all of it as a booklet, and a principal's yes where it takes one. */
export function BeforeItGoes({ id, loaded, draft, number, changed, ready }: Props) {
  return (
    <>
      {loaded.version > 0 && changed && <Differences id={id} version={loaded.version} draft={draft} />}
      <Approval id={id} loaded={loaded} number={number} ready={ready} />
      <p className="mt-1">
        <a href={`/api/programs/${id}/booklet.pdf`} download className="inline-flex min-h-6 items-center">
          {phrase('All its letters as a booklet')}
        </a>
      </p>
    </>
  );
}

/** What is different from a version it was switched on with, in sentences. */
function Differences({ id, version, draft }: { id: string; version: number; draft: ProgramFile }) {
  const { now, zone } = useNow();
  const [against, setAgainst] = useState(version);
  const versions = useQuery({
    queryKey: ['program', id, 'versions'],
    queryFn: () => take(api.GET('/api/programs/{id}/versions', { params: { path: { id } } })),
  });
  const before = useQuery({
    queryKey: ['program', id, 'versions', against],
    queryFn: () => take(api.GET('/api/programs/{id}/versions/{version}', { params: { path: { id, version: against } } })),
    placeholderData: (shown) => shown,
  });
  const told = before.data ? differences(before.data as unknown as ProgramFile, draft) : undefined;
  return (
    <section aria-label={phrase('What is different')}>
      <h3 className="mt-3">{phrase('What is different')}</h3>
      {versions.data && versions.data.length > 1 ? (
        <p>
          <select
            aria-label={phrase('Compared with which version')}
            className="text-ink"
            value={against}
            onChange={(e) => setAgainst(Number(e.target.value))}
          >
            {versions.data.map((v) => (
              <option key={v.version} value={v.version}>
                {phrase('against version {version, number}, {at}, {by}', { version: v.version, at: day(v.at, zone, now), by: v.by })}
              </option>
            ))}
          </select>
        </p>
      ) : (
        <p className="text-soft">{phrase('Against version {against, number}, which is the one that goes.', { against })}</p>
      )}
      {told && told.length === 0 && <p>{phrase('Nothing.')}</p>}
      <ul className="m-0 list-none p-0">
        {told?.map((sentence) => (
          <li key={sentence} className="border-t border-dotted border-rule py-0.5">
            {sentence}
          </li>
        ))}
      </ul>
      <Trouble error={before.error} />
    </section>
  );
}

/** Whether a principal has said yes to the draft as it is; asked for, given, or sent back. */
function Approval({ id, loaded, number, ready }: Pick<Props, 'id' | 'loaded' | 'number' | 'ready'>) {
  const { now, zone } = useNow();
  const queries = useQueryClient();
  const mayApprove = useMay('approve-programs');
  const [stand, setStand] = useState(loaded.approval);
  const [approved, setApproved] = useState(loaded.approval.by ? loaded.draftNumber : 0);
  const act = useMutation({
    mutationFn: async (what: 'ask' | 'yes' | 'back') => {
      const path = { params: { path: { id } } };
      const draftNumber = await ready();
      const answer = await take(
        what === 'ask'
          ? api.POST('/api/programs/{id}/approval/ask', path)
          : what === 'yes'
            ? api.POST('/api/programs/{id}/approval', { ...path, body: { draftNumber } })
            : api.DELETE('/api/programs/{id}/approval', path),
      );
      setApproved(answer.by ? draftNumber : 0);
      return answer;
    },
    onSuccess: (answer) => {
      setStand(answer);
      queries.invalidateQueries({ queryKey: ['today'] });
    },
  });
  if (!stand.needed) return null;
  const holds = stand.by && approved === number;
  return (
    <section aria-label={phrase('A principal’s yes')}>
      <h3 className="mt-3">{phrase('A principal’s yes')}</h3>
      <p className={holds ? '' : 'text-straw'}>
        {holds
          ? phrase('{by} has said yes to it as it is.', { by: stand.by })
          : stand.askedAt
            ? phrase('{askedBy} has asked for it, {askedAt}.', { askedBy: stand.askedBy, askedAt: day(stand.askedAt, zone, now) })
            : approved > 0
              ? phrase('{by} said yes, but it was changed since.', { by: stand.by })
              : phrase('Nobody has said yes to it as it is.')}
      </p>
      <p className="flex flex-wrap gap-x-5">
        {mayApprove && !holds && (
          <Button className="min-h-6" disabled={act.isPending} onClick={() => act.mutate('yes')}>
            {phrase('Say yes to it')}
          </Button>
        )}
        {mayApprove && (holds || stand.askedAt) && (
          <Button className="min-h-6" look="plain" disabled={act.isPending} onClick={() => act.mutate('back')}>
            {holds ? phrase('take the yes back') : phrase('send it back')}
          </Button>
        )}
        {!mayApprove && !holds && !stand.askedAt && (
          <Button className="min-h-6" disabled={act.isPending} onClick={() => act.mutate('ask')}>
            {phrase('Ask for it')}
          </Button>
        )}
      </p>
      <Trouble error={act.error} />
    </section>
  );
}
