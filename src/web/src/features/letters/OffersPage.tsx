import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { Letter } from '../../ui/Letter';
import { PictureChooser } from '../../ui/PictureChooser';
import { keyDate } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { KeptLinks, Uses } from './KeptLinks';

type Offer = Schemas['OfferDto'];

/** What the practice offers: kept once, shown by letters as it is on the day they go. */
export default function OffersPage() {
  const offers = useQuery({ queryKey: ['offers'], queryFn: () => take(api.GET('/api/offers')) });
  const [open, setOpen] = useState<string>();
  const picked = offers.data?.find((o) => o.id === open);
  return (
    <DayPage
      marginTitle={phrase('As a letter shows it')}
      margin={
        picked ? (
          <>
            <h3>{phrase('As a letter shows it today')}</h3>
            <div className="mt-2 border border-rule bg-sheet px-4 py-3.5">
              {picked.stands ? <Letter html={picked.html} title={phrase('The offer')} /> : <p>{overWords(picked, offers.data ?? [])}</p>}
            </div>
          </>
        ) : (
          <>
            <h3>{phrase('What offers are for')}</h3>
            <p>
              {phrase(
                'A house, a package, an evening, the conditions of a loan: written once, with its dates, and put into letters by its name. Letters show it as it is on the day they go. Once it is over they leave it out, show another in its place, or wait for you.',
              )}
            </p>
          </>
        )
      }
    >
      <PageHead title={phrase('Offers')} aside={<KeptLinks />} />
      <div className="px-7 pb-3">
        {open === 'new' ? (
          <OfferForm offers={offers.data ?? []} close={() => setOpen(undefined)} />
        ) : (
          <Button onClick={() => setOpen('new')}>{phrase('Write one')}</Button>
        )}
      </div>
      {offers.error && (
        <div className="px-7">
          <Trouble error={offers.error} />
        </div>
      )}
      {!offers.data ? (
        <Loading />
      ) : offers.data.length === 0 ? (
        <Empty>{phrase('There is none yet.')}</Empty>
      ) : (
        <ul className="m-0 list-none p-0" aria-label={phrase('Offers')}>
          {offers.data.map((o) => (
            <Line
              key={o.id}
              offer={o}
              all={offers.data}
              open={open === o.id}
              toggle={() => setOpen(open === o.id ? undefined : o.id)}
              close={() => setOpen(undefined)}
            />
          ))}
        </ul>
      )}
    </DayPage>
  );
}

/** What letters do with an offer that does not stand. */
function overWords(offer: Offer, all: Offer[]) {
  if (offer.whenOver === 'hold') return phrase('Letters with it are held back.');
  if (offer.whenOver === 'leave-out') return phrase('Letters leave it out.');
  return phrase('Letters show “{name}” in its place.', { name: all.find((o) => o.id === offer.instead)?.name ?? phrase('another') });
}

function Line({ offer, all, open, toggle, close }: { offer: Offer; all: Offer[]; open: boolean; toggle: () => void; close: () => void }) {
  const { today } = useToday();
  const dates = offer.stands
    ? offer.until
      ? phrase('until {until}', { until: keyDate(offer.until) })
      : phrase('for good')
    : offer.from && offer.from > today
      ? phrase('from {from}', { from: keyDate(offer.from) })
      : phrase('over');
  return (
    <li className={`row ${open ? 'on' : ''}`}>
      <span className={`gutter ${offer.stands ? '!text-leaf' : ''}`}>{dates}</span>
      <button type="button" className="min-h-6 text-left font-semibold hover:underline" aria-expanded={open} onClick={toggle}>
        {offer.name}
      </button>
      {offer.price && <span className="ml-3 text-soft">{offer.price}</span>}
      {!offer.stands && <span className="block text-small text-straw">{overWords(offer, all)}</span>}
      <Uses uses={offer.uses} />
      {open && <OfferForm key={`${offer.id}/${offer.edition}`} offer={offer} offers={all} close={close} />}
    </li>
  );
}

function useToday() {
  const { now, zone } = useNow();
  return { today: new Intl.DateTimeFormat('en-CA', { timeZone: zone }).format(new Date(now)) };
}

function OfferForm({ offer, offers, close }: { offer?: Offer; offers: Offer[]; close: () => void }) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState({
    name: offer?.name ?? '',
    facts: offer?.facts ?? '',
    price: offer?.price ?? '',
    page: offer?.page ?? '',
    picture: offer?.picture ?? null,
    pictureWords: offer?.pictureWords ?? '',
    from: offer?.from ?? '',
    until: offer?.until ?? '',
    whenOver: offer?.whenOver ?? 'leave-out',
    instead: offer?.instead ?? null,
  });
  const set = (part: Partial<typeof draft>) => setDraft({ ...draft, ...part });
  const [trouble, setTrouble] = useState<unknown>();
  const body = () => ({
    ...draft,
    page: draft.page || null,
    from: draft.from || null,
    until: draft.until || null,
    edition: offer?.edition ?? null,
  });
  const save = useMutation({
    mutationFn: () =>
      take(
        offer
          ? api.PUT('/api/offers/{id}', { params: { path: { id: offer.id } }, body: body() })
          : api.POST('/api/offers', { body: body() }),
      ),
    onSuccess: (saved) => {
      queries.invalidateQueries({ queryKey: ['offers'] });
      toast(phrase('“{saved}” is kept.', { saved: saved.name }));
      close();
    },
  });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/offers/{id}', { params: { path: { id: offer?.id ?? '' } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['offers'] });
      close();
    },
  });
  const others = offers.filter((o) => o.id !== offer?.id);
  const line = (label: string, key: 'name' | 'price' | 'page' | 'pictureWords', hint?: string, required = false) => (
    <Field label={label} hint={hint} error={fieldError(save.error, key)}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          required={required}
          maxLength={key === 'page' ? 2000 : key === 'name' ? 80 : 200}
          className="w-full"
          value={draft[key]}
          onChange={(e) => set({ [key]: e.target.value })}
        />
      )}
    </Field>
  );
  const date = (label: string, key: 'from' | 'until') => (
    <Field label={label} error={fieldError(save.error, key)}>
      {(id, by) => <input id={id} aria-describedby={by} type="date" value={draft[key]} onChange={(e) => set({ [key]: e.target.value })} />}
    </Field>
  );
  return (
    <form
      className="my-3 max-w-[560px]"
      aria-label={offer ? phrase('The offer {offer}', { offer: offer.name }) : phrase('A new offer')}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      {line(phrase('What it is called'), 'name', phrase('its heading in letters'), true)}
      <Field
        label={phrase('What is to be known of it')}
        hint={phrase('a line each; merge fields may stand in them')}
        error={fieldError(save.error, 'facts')}
      >
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={4}
            maxLength={4000}
            className="w-full font-serif"
            value={draft.facts}
            onChange={(e) => set({ facts: e.target.value })}
          />
        )}
      </Field>
      {line(phrase('What it costs'), 'price', phrase('as it is to be read; empty for nothing said'))}
      {line(phrase('Its page'), 'page', phrase('where its button leads; empty for none'))}
      <div className="flex flex-wrap gap-x-6">
        {date(phrase('It stands from'), 'from')}
        {date(phrase('until, that day with it'), 'until')}
      </div>
      <div className="flex flex-wrap gap-x-6">
        <Field label={phrase('When it does not stand, letters')} error={fieldError(save.error, 'whenOver')}>
          {(id) => (
            <select id={id} value={draft.whenOver} onChange={(e) => set({ whenOver: e.target.value })}>
              <option value="leave-out">{phrase('leave it out')}</option>
              <option value="instead">{phrase('show another in its place')}</option>
              <option value="hold">{phrase('are held back')}</option>
            </select>
          )}
        </Field>
        {draft.whenOver === 'instead' && (
          <Field label={phrase('namely')} error={fieldError(save.error, 'instead')}>
            {(id, by) => (
              <select id={id} aria-describedby={by} value={draft.instead ?? ''} onChange={(e) => set({ instead: e.target.value || null })}>
                <option value="">{phrase('choose one')}</option>
                {others.map((o) => (
                  <option key={o.id} value={o.id}>
                    {o.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
        )}
      </div>
      <div className="mb-3 flex flex-wrap items-center gap-4">
        {draft.picture && <img src={draft.picture} alt={draft.pictureWords || phrase('The offer')} className="h-16 w-24 object-cover" />}
        <PictureChooser
          picture={draft.picture}
          label={phrase('A picture of the offer')}
          words={[phrase('Add a picture'), phrase('Another picture')]}
          without={phrase('without one')}
          set={(picture) => set(picture ? { picture } : { picture: null, pictureWords: '' })}
          trouble={setTrouble}
        />
      </div>
      {draft.picture && line(phrase('The picture in words'), 'pictureWords', phrase('for those who do not see it'), true)}
      <Trouble error={trouble ?? remove.error ?? (fieldOf(save.error) ? undefined : save.error)} />
      <p className="flex flex-wrap gap-x-5">
        <Button type="submit" look="main" disabled={save.isPending}>
          {offer ? phrase('Keep it so') : phrase('Keep it')}
        </Button>
        <Button look="plain" onClick={close}>
          {phrase('close')}
        </Button>
        {offer && (
          <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
            {phrase('Throw it away')}
          </Button>
        )}
      </p>
    </form>
  );
}

const fields = ['name', 'facts', 'price', 'page', 'from', 'until', 'whenOver', 'instead', 'pictureWords'];
/** Whether what is wrong stands at a field already. */
const fieldOf = (error: unknown) => fields.some((f) => fieldError(error, f));
