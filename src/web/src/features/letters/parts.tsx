import { mergeAttributes, Node } from '@tiptap/core';
import Image from '@tiptap/extension-image';
import { addColumnAfter, addRowAfter, deleteColumn, deleteRow, deleteTable, goToNextCell, tableEditing } from '@tiptap/pm/tables';
import { NodeViewContent, type NodeViewProps, NodeViewWrapper, ReactNodeViewRenderer } from '@tiptap/react';
import { useState } from 'react';
import { Field } from '../../ui/bits';
import { Take } from '../programs/forms';
import { Say } from '../programs/Say';
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
        the sender signs here
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
        Only if they{' '}
        <SayRules
          rule={rule}
          label="Passage only if they"
          none="are anybody"
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
      <Say words={words} label={`Field: ${words}`}>
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
  return merge.otherwise ? `${words}, or “${merge.otherwise}”` : words;
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
            ? 'What stands there when it is missing'
            : merge.kind === 'voice'
              ? 'When it speaks as I'
              : 'As it is written'
        }
        hint={merge.kind === 'field' ? 'Empty: nobody without it gets the letter; it waits under needs mending.' : undefined}
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
        <Field label="When it speaks as we">
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
  'a row below': addRowAfter,
  'a column after': addColumnAfter,
  'take this row out': deleteRow,
  'take this column out': deleteColumn,
  'take the table out': deleteTable,
} as const;

/** All of them, for the editor. */
export const letterParts = [
  PressButton,
  Columns,
  Column,
  SignOff,
  OnlyFor,
  MergeField,
  LetterPicture,
  DataTable,
  DataRow,
  DataCell,
  DataHeader,
];
