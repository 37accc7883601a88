import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { api, type Schemas, take, upload } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { size } from '../../ui/size';
import { day } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { KeptLinks, Uses } from './KeptLinks';

type Kept = Schemas['KeptFileDto'];

/** Files that letters carry, or lead to by a link. */
export default function FilesPage() {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const chooser = useRef<HTMLInputElement>(null);
  const files = useQuery({ queryKey: ['files'], queryFn: () => take(api.GET('/api/files')) });
  const bring = useMutation({
    mutationFn: async (chosen: File[]) => {
      // One that is refused keeps none of the others out.
      const wrong: unknown[] = [];
      for (const file of chosen)
        try {
          await upload<Kept>('/api/files', file);
        } catch (e) {
          wrong.push(e);
        }
      return wrong;
    },
    onSettled: () => queries.invalidateQueries({ queryKey: ['files'] }),
  });
  return (
    <DayPage
      marginTitle={phrase('What files are for')}
      margin={
        <>
          <h3>{phrase('What files are for')}</h3>
          <p>
            {phrase(
              'A step of a program carries them, up to 10 MB together; it says so beside “follow a letter”. What is larger, or is to be noticed when it is read, is better led to: put its address on a link.',
            )}
          </p>
          <p className="mt-3">{phrase('Whoever has the address of a file can read it, without signing in.')}</p>
        </>
      }
    >
      <PageHead title={phrase('Files')} aside={<KeptLinks />} />
      {/* biome-ignore lint/a11y/noStaticElementInteractions: a file may be dropped on it; the button does the same */}
      <div
        className="mx-7 mb-3 border border-dashed border-rule px-4 py-3"
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          bring.mutate([...e.dataTransfer.files]);
        }}
      >
        <Button disabled={bring.isPending} onClick={() => chooser.current?.click()}>
          {bring.isPending ? phrase('Keeping …') : phrase('Keep files')}
        </Button>{' '}
        <span className="text-small text-soft">
          {phrase('or drop them here: PDF, pictures, .docx, .xlsx, .pptx, .ics, .vcf, .csv, .txt')}
        </span>
        <input
          ref={chooser}
          type="file"
          multiple
          className="sr-only"
          aria-label={phrase('Files to keep')}
          tabIndex={-1}
          onChange={(e) => {
            const chosen = [...(e.target.files ?? [])];
            e.target.value = '';
            if (chosen.length > 0) bring.mutate(chosen);
          }}
        />
        {bring.data?.map((wrong, i) => (
          <Trouble key={i} error={wrong} />
        ))}
      </div>
      {files.error && (
        <div className="px-7">
          <Trouble error={files.error} />
        </div>
      )}
      {!files.data ? (
        <Loading />
      ) : files.data.length === 0 ? (
        <Empty>{phrase('None is kept yet.')}</Empty>
      ) : (
        <ul className="m-0 list-none p-0" aria-label={phrase('Files')}>
          {files.data.map((f) => (
            <li key={f.id} className="row">
              <span className="gutter">{size(f.bytes)}</span>
              <Name file={f} />
              <span className="block text-small text-soft">
                {f.what} · {f.by}, {day(f.at, zone, now)}
              </span>
              <Uses uses={f.uses} />
              <Acts file={f} />
            </li>
          ))}
        </ul>
      )}
    </DayPage>
  );
}

/** A file's name, changed in place; its ending stays what it is. */
function Name({ file }: { file: Kept }) {
  const queries = useQueryClient();
  const [name, setName] = useState(file.name);
  const rename = useMutation({
    mutationFn: () => take(api.PUT('/api/files/{id}', { params: { path: { id: file.id } }, body: { name } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['files'] }),
  });
  return (
    <>
      <input
        aria-label={phrase('Name of {file}', { file: file.name })}
        maxLength={80}
        className="[field-sizing:content] max-w-full !border-0 !bg-transparent !p-0 font-semibold"
        value={name}
        onChange={(e) => setName(e.target.value)}
        onBlur={() => name.trim() !== file.name && rename.mutate()}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
      />
      <Trouble error={rename.error} />
    </>
  );
}

function Acts({ file }: { file: Kept }) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/files/{id}', { params: { path: { id: file.id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['files'] }),
  });
  return (
    <p className="flex flex-wrap gap-x-5 text-small">
      <a href={file.address} className="inline-flex min-h-6 items-center">
        {phrase('Read it')}
      </a>
      <Button
        className="min-h-6"
        onClick={() =>
          navigator.clipboard
            ? navigator.clipboard.writeText(file.address).then(() => toast(phrase('Its address is copied.')))
            : toast(phrase('Its address: {address}', { address: file.address }))
        }
      >
        {phrase('Copy its address')}
      </Button>
      <Button className="min-h-6" look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
        {phrase('Throw it away')}
      </Button>
      <Trouble error={remove.error} />
    </p>
  );
}
