import { useQuery } from '@tanstack/react-query';
import { mergeAttributes, Node } from '@tiptap/core';
import Image from '@tiptap/extension-image';
import { addColumnAfter, addRowAfter, deleteColumn, deleteRow, deleteTable, goToNextCell, tableEditing } from '@tiptap/pm/tables';
import { NodeViewContent, type NodeViewProps, NodeViewWrapper, ReactNodeViewRenderer } from '@tiptap/react';
import { type ReactNode, useState } from 'react';
import { api, take } from '../../api/client';
import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Take } from '../programs/forms';
import { Say, SayOneOf } from '../programs/Say';
import type { Rule } from '../rules/ruleLanguage';
import { SayRules } from '../rules/SayRules';
import { type Merge, readMerge, writeMerge } from './letterFields';

declare module '@tiptap/core' {
  interface NodeConfig {
    /** What a node is to the editing of tables. */
    tableRole?: string;
  }
}

/** What stands in a letter beside words; in its HTML each part is an element with `data-part`. */

/** A block of the letter's own: how it stands in the HTML. */
const part = (tag: string, name: string) => ({
  parseHTML: () => [{ tag: `${tag}[data-part=${name}]`, priority: 60 }],
  renderHTML: ({ HTMLAttributes }: { HTMLAttributes: Record<string, unknown> }) =>
    [tag, mergeAttributes(HTMLAttributes, { 'data-part': name }), 0] as const,
});

/** A paragraph with one link, shown as a button. */
export const PressButton = Node.create({ name: 'pressButton', group: 'block', content: 'inline*', ...part('p', 'button') });

export const Columns = Node.create({ name: 'columns', group: 'block', content: 'column{2,3}', isolating: true, ...part('div', 'columns') });

export const Column = Node.create({ name: 'column', content: 'block+', isolating: true, ...part('div', 'column') });

/** Where the sender signs. */
export const SignOff = Node.create({
  name: 'signOff',
  group: 'block',
  atom: true,
  parseHTML: () => [{ tag: 'div[data-part=sign-off]', priority: 60 }],
  renderHTML: () => ['div', { 'data-part': 'sign-off' }],
  addNodeView: () =>
    ReactNodeViewRenderer(() => (
      <NodeViewWrapper className="part-note" contentEditable={false}>
        {phrase('the sender signs here')}
      </NodeViewWrapper>
    )),
});

/** A passage only for those a rule picks. */
export const OnlyFor = Node.create({
  name: 'onlyFor',
  group: 'block',
  content: 'block+',
  ...part('div', 'only'),
  addAttributes: () => ({ 'data-rule': { default: '' } }),
  addNodeView: () => ReactNodeViewRenderer(OnlyForView),
});

function OnlyForView({ node, updateAttributes, deleteNode, editor, getPos }: NodeViewProps) {
  const rule = ruleOf(node.attrs['data-rule']);
  return (
    <NodeViewWrapper className="part-only">
      <p className="part-note" contentEditable={false}>
        {phrase('Only if they')}{' '}
        <SayRules
          rule={rule}
          label={phrase('Passage only if they')}
          none={phrase('are anybody')}
          set={(next) => {
            if (next) {
              updateAttributes({ 'data-rule': JSON.stringify(next) });
              return;
            }
            // For everybody: the words stay, the passage around them goes.
            const at = getPos();
            if (at === undefined) return;
            deleteNode();
            editor.commands.insertContentAt(at, node.content.toJSON());
          }}
        />
      </p>
      <NodeViewContent />
    </NodeViewWrapper>
  );
}

function ruleOf(written: unknown): Rule | undefined {
  try {
    return JSON.parse(String(written)) as Rule;
  } catch {
    return undefined;
  }
}

/** A merge field: words one cannot break, with what stands there when the value is missing. */
export const MergeField = Node.create({
  name: 'mergeField',
  group: 'inline',
  inline: true,
  atom: true,
  addAttributes: () => ({ 'data-field': { default: '' } }),
  parseHTML: () => [{ tag: 'span[data-field]' }],
  renderHTML: ({ HTMLAttributes }) => ['span', HTMLAttributes],
  renderText: ({ node }) => node.attrs['data-field'],
  addNodeView: () => ReactNodeViewRenderer(FieldView, { as: 'span' }),
});

function FieldView({ node, updateAttributes }: NodeViewProps) {
  const merge = readMerge(node.attrs['data-field']);
  const set = (next: Merge) => updateAttributes({ 'data-field': writeMerge(next) });
  const words = sayMerge(merge);
  return (
    <NodeViewWrapper as="span" className="part-field" contentEditable={false}>
      <Say words={words} label={phrase('Field: {words}', { words })}>
        {(close) => (
          <MergeForm
            merge={merge}
            done={(next) => {
              set(next);
              close();
            }}
          />
        )}
      </Say>
    </NodeViewWrapper>
  );
}

/** A merge field in words. */
export function sayMerge(merge: Merge): string {
  if (merge.kind === 'voice') return `${merge.one} / ${merge.many}`;
  if (merge.kind === 'other') return merge.text.replace(/^\{\{\s*|\s*\}\}$/g, '');
  const words = merge.field.replace(/^person\.(custom\.)?/, '').replaceAll(/[._]/g, ' ');
  return merge.otherwise ? phrase('{words}, or “{otherwise}”', { words, otherwise: merge.otherwise }) : words;
}

export function MergeForm({ merge, done }: { merge: Merge; done: (merge: Merge) => void }) {
  const [first, setFirst] = useState(merge.kind === 'field' ? (merge.otherwise ?? '') : merge.kind === 'voice' ? merge.one : merge.text);
  const [second, setSecond] = useState(merge.kind === 'voice' ? merge.many : '');
  return (
    <Take
      done={() =>
        done(
          merge.kind === 'field'
            ? { ...merge, otherwise: first.trim() || undefined }
            : merge.kind === 'voice'
              ? { kind: 'voice', one: first, many: second }
              : { kind: 'other', text: first },
        )
      }
    >
      <Field
        label={
          merge.kind === 'field'
            ? phrase('What stands there when it is missing')
            : merge.kind === 'voice'
              ? phrase('When it speaks as I')
              : phrase('As it is written')
        }
        hint={merge.kind === 'field' ? phrase('Empty: nobody without it gets the letter; it waits under needs mending.') : undefined}
      >
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            className="w-full"
            maxLength={200}
            value={first}
            onChange={(e) => setFirst(e.target.value)}
          />
        )}
      </Field>
      {merge.kind === 'voice' && (
        <Field label={phrase('When it speaks as we')}>
          {(id) => <input id={id} className="w-full" maxLength={200} value={second} onChange={(e) => setSecond(e.target.value)} />}
        </Field>
      )}
    </Take>
  );
}

/** A picture with its size and side. */
export const LetterPicture = Image.extend({
  addAttributes() {
    return {
      ...this.parent?.(),
      width: { default: null },
      height: { default: null, renderHTML: () => ({}) },
      'data-align': { default: null },
    };
  },
});

const cell = (name: string, tag: 'td' | 'th', tableRole: string) =>
  Node.create({
    name,
    content: 'block+',
    tableRole,
    isolating: true,
    addAttributes: () => ({
      colspan: {
        default: 1,
        parseHTML: (e) => Number(e.getAttribute('colspan')) || 1,
        renderHTML: (a) => (a.colspan > 1 ? { colspan: a.colspan } : {}),
      },
      rowspan: {
        default: 1,
        parseHTML: (e) => Number(e.getAttribute('rowspan')) || 1,
        renderHTML: (a) => (a.rowspan > 1 ? { rowspan: a.rowspan } : {}),
      },
      colwidth: { default: null, parseHTML: () => null, renderHTML: () => ({}) },
    }),
    parseHTML: () => [{ tag }],
    renderHTML: ({ HTMLAttributes }) => [tag, HTMLAttributes, 0],
  });

/** A table of words and numbers: rows of cells, with Tab from one to the next. */
export const DataTable = Node.create({
  name: 'table',
  group: 'block',
  content: 'tableRow+',
  tableRole: 'table',
  isolating: true,
  parseHTML: () => [{ tag: 'table' }],
  renderHTML: () => ['table', ['tbody', 0]],
  addProseMirrorPlugins: () => [tableEditing()],
  extendNodeSchema: (extension) => ({ tableRole: extension.config.tableRole }),
  addKeyboardShortcuts() {
    const view = () => this.editor.view;
    return {
      Tab: () => goToNextCell(1)(view().state, view().dispatch),
      'Shift-Tab': () => goToNextCell(-1)(view().state, view().dispatch),
    };
  },
});

export const DataRow = Node.create({
  name: 'tableRow',
  content: '(tableCell | tableHeader)*',
  tableRole: 'row',
  parseHTML: () => [{ tag: 'tr' }],
  renderHTML: () => ['tr', 0],
});

export const DataCell = cell('tableCell', 'td', 'cell');
export const DataHeader = cell('tableHeader', 'th', 'header_cell');

/** What can be done to the table the cursor stands in. */
export const tableActs = {
  [phrase('a row below')]: addRowAfter,
  [phrase('a column after')]: addColumnAfter,
  [phrase('take this row out')]: deleteRow,
  [phrase('take this column out')]: deleteColumn,
  [phrase('take the table out')]: deleteTable,
} as const;

/** An element that stands for something kept elsewhere, by its name. */
const taken = (name: string, part_: string, more: string[], view: (props: NodeViewProps) => ReactNode) =>
  Node.create({
    name,
    group: 'block',
    atom: true,
    addAttributes: () => Object.fromEntries(['data-of', ...more].map((key) => [key, { default: null }])),
    parseHTML: () => [{ tag: `div[data-part=${part_}]`, priority: 60 }],
    renderHTML: ({ HTMLAttributes }) => ['div', mergeAttributes(HTMLAttributes, { 'data-part': part_ })],
    addNodeView: () => ReactNodeViewRenderer(view),
  });

/** An offer of the practice, as it is on the day the letter goes. */
export const OfferPart = taken('offer', 'offer', [], OfferView);

/** Figures of a table of the practice, for the reader's area. */
export const FiguresPart = taken('figures', 'figures', ['data-field', 'data-area', 'data-missing'], FiguresView);

/** A form: in a letter the way to it, on a page the form itself. */
export const FormPart = taken('form', 'form', [], FormView);

function FormView({ node, updateAttributes }: NodeViewProps) {
  const forms = useQuery({ queryKey: ['forms'], queryFn: () => take(api.GET('/api/forms')) });
  const of = String(node.attrs['data-of'] ?? '');
  // A form is named by the last part of its address, which stays when it is renamed.
  const choices = forms.data?.map((f) => [f.address.split('/').at(-1) ?? '', f.name] as const);
  const name = choices?.find(([slug]) => slug === of)?.[1] ?? of;
  return (
    <NodeViewWrapper className="part-note" contentEditable={false}>
      <Sentence
        m="the form {name}: in a letter a button that leads to it, on a page the form itself"
        v={{
          name: (
            <SayOneOf
              words={name || phrase('choose one')}
              label={phrase('Form: {name}', { name: name || phrase('none yet') })}
              choices={choices}
              now={of}
              none={phrase('There is none yet. Write one under Inquiries, Forms.')}
              choose={(slug) => updateAttributes({ 'data-of': slug })}
            />
          ),
        }}
      />
    </NodeViewWrapper>
  );
}

function OfferView({ node, updateAttributes }: NodeViewProps) {
  const offers = useQuery({ queryKey: ['offers'], queryFn: () => take(api.GET('/api/offers')) });
  const of = String(node.attrs['data-of'] ?? '');
  return (
    <NodeViewWrapper className="part-note" contentEditable={false}>
      <Sentence
        m="the offer {of}, as it is on the day"
        v={{
          of: (
            <SayOneOf
              words={of || phrase('choose one')}
              label={phrase('Offer: {of}', { of: of || phrase('none yet') })}
              choices={offers.data?.map((o) => [o.name, o.name])}
              now={of}
              none={phrase('There is none yet. Write one under Letters, Offers.')}
              choose={(name) => updateAttributes({ 'data-of': name })}
            />
          ),
        }}
      />
    </NodeViewWrapper>
  );
}

const areaFields: [string, string][] = [
  ['city', phrase('their town')],
  ['postalCode', phrase('their postal code')],
  ['state', phrase('their state')],
  ['country', phrase('their country')],
];

function FiguresView({ node, updateAttributes }: NodeViewProps) {
  const tables = useQuery({ queryKey: ['figures'], queryFn: () => take(api.GET('/api/figures')) });
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const attribute = (name: string) => (node.attrs[name] === null ? undefined : String(node.attrs[name]));
  const [of, field, area] = [attribute('data-of') ?? '', attribute('data-field'), attribute('data-area')];
  const holds = attribute('data-missing') === 'hold';
  const fields: [string, string][] = [
    ...areaFields,
    ...(practice.data?.ownFields ?? []).map((f): [string, string] => [f.key, phrase('their {name}', { name: f.name })]),
  ];
  const words = area ?? fields.find(([key]) => key === field)?.[1] ?? field ?? phrase('choose the area');
  const areas = tables.data?.find((t) => t.name.toLowerCase() === of.toLowerCase())?.areas ?? [];
  return (
    <NodeViewWrapper className="part-note" contentEditable={false}>
      <Sentence
        m="figures of {of} for {words}; without any {button}"
        v={{
          of: (
            <SayOneOf
              words={of || phrase('choose a table')}
              label={phrase('Table: {of}', { of: of || phrase('none yet') })}
              choices={tables.data?.map((t) => [t.name, t.name])}
              now={of}
              none={phrase('There is none yet. Bring one in under Letters, Figures.')}
              choose={(name) => updateAttributes({ 'data-of': name })}
            />
          ),
          words: (
            <SayOneOf
              words={words}
              label={phrase('Area: {words}', { words })}
              choices={[...fields.map(([, said]) => said), ...areas].map((said) => [said, said])}
              now={words}
              choose={(said) => {
                const chosen = fields.find(([, w]) => w === said)?.[0];
                updateAttributes(chosen ? { 'data-field': chosen, 'data-area': null } : { 'data-field': null, 'data-area': said });
              }}
            />
          ),
          button: (
            <button
              type="button"
              className="say"
              aria-pressed={holds}
              onClick={() => updateAttributes({ 'data-missing': holds ? null : 'hold' })}
            >
              {holds ? phrase('the letter is held back') : phrase('they are left out')}
            </button>
          ),
        }}
      />
    </NodeViewWrapper>
  );
}

/** All of them, for the editor. */
export const letterParts = [
  PressButton,
  Columns,
  Column,
  SignOff,
  OnlyFor,
  OfferPart,
  FiguresPart,
  FormPart,
  MergeField,
  LetterPicture,
  DataTable,
  DataRow,
  DataCell,
  DataHeader,
];
