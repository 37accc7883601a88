import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { PictureChooser } from '../../ui/PictureChooser';
import { phrase } from '../../words/phrase';

/** How whoever is signed in signs letters: their words and their photograph. */
export default function SigningPage() {
  const own = useQuery({ queryKey: ['sign-off'], queryFn: () => take(api.GET('/api/sign-off')) });
  return (
    <DayPage
      marginTitle={phrase('Where it stands')}
      margin={
        <>
          <h3>{phrase('Where it stands')}</h3>
          <p>
            {phrase(
              'A letter shows it where its writer put “where the sender signs”. Each member signs their own way; a letter names whoever sends it.',
            )}
          </p>
        </>
      }
    >
      <PageHead title={phrase('How you sign')} />
      {own.error && (
        <div className="px-7">
          <Trouble error={own.error} />
        </div>
      )}
      {own.data ? <SignOffForm given={own.data} /> : <Loading />}
    </DayPage>
  );
}

function SignOffForm({ given }: { given: Schemas['SignOffDto'] }) {
  const session = useSession().data;
  const queries = useQueryClient();
  const [words, setWords] = useState(given.words);
  const [photograph, setPhotograph] = useState(given.photograph ?? undefined);
  const [trouble, setTrouble] = useState<unknown>();
  const save = useMutation({
    mutationFn: () => take(api.PUT('/api/sign-off', { body: { words, photograph: photograph ?? null } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['sign-off'] });
      toast(phrase('So you sign from now on.'));
    },
  });
  return (
    <form
      className="max-w-[560px] px-7 pb-10"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <Field
        label={phrase('Your words')}
        hint={phrase('Line by line, as they stand under a letter. Empty: {member}, {practice}.', {
          member: session?.member?.name,
          practice: session?.practice,
        })}
      >
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={4}
            maxLength={1000}
            className="w-full font-serif"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
        )}
      </Field>
      <div className="mb-4 flex items-center gap-4">
        {photograph && <img src={photograph} alt={phrase('You, as letters show you')} className="h-16 w-16 rounded-full object-cover" />}
        <PictureChooser
          picture={photograph}
          label={phrase('Your photograph')}
          words={[phrase('Add a photograph'), phrase('Another photograph')]}
          without={phrase('without one')}
          set={(address) => setPhotograph(address ?? undefined)}
          trouble={setTrouble}
        />
      </div>
      <Trouble error={trouble ?? save.error} />
      <Button type="submit" look="main" disabled={save.isPending}>
        {phrase('Sign so')}
      </Button>
    </form>
  );
}
