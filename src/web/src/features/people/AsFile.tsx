import { useMutation } from '@tanstack/react-query';
import { download } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import type { ActBody } from './acts';

const forms = [
  ['csv', 'CSV'],
  ['xlsx', phrase('workbook (.xlsx)')],
  ['vcf', phrase('cards (.vcf)')],
] as const;

/** The people as a file of an open form; what comes out goes in again under *Bring people in*. */
export function AsFile({ people, who }: { people: Pick<ActBody, 'ids' | 'matching'>; who: string }) {
  const may = useMay('export-people');
  const take = useMutation({
    mutationFn: (form: string) =>
      download(`/api/people/export/${form}`, { ids: people.ids ?? null, matching: people.matching ?? null }, `people.${form}`),
  });
  if (!may) return null;
  return (
    <section className="mt-5 border-t border-rule pt-3">
      <h3>{phrase('{who} as a file', { who })}</h3>
      <p className="mt-1 flex flex-wrap gap-x-4">
        {forms.map(([form, words]) => (
          <Button key={form} disabled={take.isPending} onClick={() => take.mutate(form)}>
            {words}
          </Button>
        ))}
      </p>
      {take.isPending && <p role="status">{phrase('Writing it …')}</p>}
      <Trouble error={take.error} />
    </section>
  );
}
