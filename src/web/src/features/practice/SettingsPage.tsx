import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link, useParams } from 'react-router';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Empty, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { FoundAgain } from '../../ui/FoundAgain';
import { useKeptEdit } from '../../ui/kept';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { ConsentSettings } from './ConsentSettings';
import { DaysSettings } from './DaysSettings';
import { FieldsSettings, WordsSettings } from './FieldsSettings';
import { KeepingSettings, PriceSettings, ProgramsSettings } from './KeepingSettings';
import { useSettingsSaid } from './LastChanges';
import { LastMonth } from './LastMonth';
import { Look } from './Look';
import { LooksSettings } from './LooksSettings';
import { MailSettings } from './MailSettings';
import { PaceSettings } from './PaceSettings';
import { type Draft, draftOf, type Practice, type SettingsForm, settingsPages } from './settings';
import { WhoSettings } from './WhoSettings';

interface Page {
  form: (form: SettingsForm) => ReactNode;
  /** What stands in the margin, beside when it counts. */
  about?: string;
  /** Whether the last thirty days can be gone through as if it had been so. */
  rehearsed?: boolean;
  /** What stands below and is kept by itself. */
  below?: (practice: Practice) => ReactNode;
}

const pages: Record<string, Page> = {
  who: { form: WhoSettings, about: phrase('The postal address stands under every commercial email; the law asks for it.') },
  days: { form: DaysSettings, about: phrase('Steps that count working days, hours of programs and calls keep to these.'), rehearsed: true },
  pace: {
    form: PaceSettings,
    about: phrase('What there is no room for waits for another day; what has waited too long is not sent late.'),
    rehearsed: true,
  },
  consent: {
    form: ConsentSettings,
    about: phrase('Presets are a beginning and no advice; ask somebody who knows the law of your country.'),
    rehearsed: true,
  },
  looks: { form: LooksSettings, below: (practice) => <OwnLook practice={practice} /> },
  mail: { form: MailSettings, about: phrase('Passwords are sealed and never shown. Try a server before you keep it.') },
  fields: { form: FieldsSettings, about: phrase('They stand on every person’s page, in rules and in letters.') },
  words: { form: WordsSettings },
  prices: { form: PriceSettings, about: phrase('Rehearsals and texts say what they come to.') },
  keeping: { form: KeepingSettings },
  programs: { form: ProgramsSettings },
};

/** One page of the settings. */
export default function SettingsPage() {
  const key = useParams().page ?? '';
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const page = pages[key];
  if (!page || practice.error) {
    return (
      <DayPage marginTitle={phrase('Settings')} margin={null}>
        <PageHead title={phrase('The practice')} aside={<Link to="/practice">{phrase('The practice')}</Link>} />
        {practice.error ? (
          <Trouble error={practice.error} />
        ) : (
          <Empty>{phrase('There is no such page. All settings stand on the page of the practice.')}</Empty>
        )}
      </DayPage>
    );
  }
  return practice.data ? <Settings key={key} of={key} page={page} practice={practice.data} /> : <Loading />;
}

function Settings({ of, page, practice }: { of: string; page: Page; practice: Practice }) {
  const queries = useQueryClient();
  const mayChange = useMay('change-settings');
  const changed = useSettingsSaid();
  // Servers hold a password, which no machine keeps.
  const {
    value: draft,
    changes,
    found,
    set,
    done: forget,
  } = useKeptEdit<Draft>(`settings/${of}`, draftOf(practice), ['mailOut', 'mailIn']);
  const [afresh, setAfresh] = useState(0);
  const save = useMutation({
    meta: { says: () => phrase('the settings') },
    mutationFn: (body: Partial<Draft>) => take(api.PUT('/api/practice', { body })),
    onSuccess: (saved) => {
      queries.setQueryData(['practice'], saved);
      changed();
      forget();
      toast(phrase('Kept. It counts for everything that is judged from now on.'));
    },
  });
  const title = settingsPages[of]?.title ?? of;
  return (
    <DayPage
      marginTitle={phrase('About these')}
      margin={
        <>
          {page.about && (
            <>
              <h3>{phrase('What it is for')}</h3>
              <p className="mt-1">{page.about}</p>
            </>
          )}
          <h3 className={page.about ? 'mt-5' : ''}>{phrase('What changes when')}</h3>
          <p className="mt-1">
            <Sentence
              m="It counts for everything that is judged from now on; what has gone stays as it was. The last ten changes can be taken back on <link>the practice</link>."
              v={{ link: (c) => <Link to="/practice">{c}</Link> }}
            />
          </p>
          {page.rehearsed && mayChange && <LastMonth changes={changes} />}
        </>
      }
    >
      <PageHead title={title} aside={<Link to="/practice">{phrase('The practice')}</Link>} />
      <form
        key={afresh}
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate(changes);
        }}
      >
        {found && (
          <FoundAgain
            className="mx-7 my-3"
            words={phrase('What you changed here before and did not keep stands here again.')}
            throwAway={() => {
              forget();
              setAfresh(afresh + 1);
            }}
          />
        )}
        <fieldset disabled={!mayChange} className="m-0 border-0 px-7 pt-2 max-[699px]:px-4">
          <legend className="sr-only">{title}</legend>
          {page.form({ practice, draft, set, wrong: (field) => fieldError(save.error, field) })}
        </fieldset>
        <div className="row">
          <Trouble error={save.error} />
          {mayChange ? (
            <Button type="submit" look="main" disabled={save.isPending}>
              {phrase('Keep these settings')}
            </Button>
          ) : (
            <span className="text-small text-soft">{phrase('A principal changes these.')}</span>
          )}
        </div>
      </form>
      {mayChange && page.below?.(practice)}
    </DayPage>
  );
}

function OwnLook({ practice }: { practice: Practice }) {
  const changed = useSettingsSaid();
  return (
    <div className="px-7 py-4 max-[699px]:px-4">
      <h2 className="text-small text-soft">{phrase('Logo and colours')}</h2>
      <Look
        colour={practice.colour}
        ground={practice.groundColour}
        picture={practice.picture}
        done={() => {
          changed();
          toast(phrase('Pages and letters look so from now on.'));
        }}
      />
    </div>
  );
}
