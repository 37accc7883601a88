import type { JSONContent } from '@tiptap/core';
import { EditorContent, useEditor, useEditorState } from '@tiptap/react';
import StarterKit from '@tiptap/starter-kit';
import { useEffect, useRef, useState } from 'react';
import { type Schemas, upload } from '../../api/client';
import { Trouble } from '../../ui/bits';
import { Menu, MenuItem } from '../../ui/Menu';
import { phrase } from '../../words/phrase';
import { ButtonForm } from './ButtonForm';
import { cleanPaste } from './cleanPaste';
import { FieldsMenu, putIn } from './FieldsMenu';
import { FilmForm } from './FilmForm';
import { LinkTool } from './LinkTool';
import { fromEditor, toEditor } from './letterFields';
import { attributesOf, effectsOf, LetterLink } from './letterLink';
import { PictureWords } from './PictureWords';
import { letterParts, tableActs } from './parts';

/** A letter's subject and body, written in place on the sheet it is read on; what stands in it beside words comes from the line above it. */
export default function LetterEditor({
  subject,
  body,
  problems,
  change,
}: {
  subject: string;
  body: string;
  problems: Schemas['FindingDto'][];
  change: (part: { subject?: string; body?: string }) => void;
}) {
  const [last, setLast] = useState<'subject' | 'body'>('body');
  const line = useRef<HTMLInputElement>(null);
  const file = useRef<HTMLInputElement>(null);
  const [trouble, setTrouble] = useState<unknown>();
  const latest = useRef(change);
  latest.current = change;
  /** A picture that was sent up and waits for its words. */
  const [waiting, setWaiting] = useState<string>();
  const [addingButton, setAddingButton] = useState(false);
  const [addingFilm, setAddingFilm] = useState(false);
  const editor = useEditor({
    extensions: [
      StarterKit.configure({
        heading: { levels: [2, 3] },
        codeBlock: false,
        code: false,
        strike: false,
        // It would write an empty paragraph below what ends a letter as soon as one looks at it; the gap cursor leads there.
        trailingNode: false,
        link: false,
      }),
      LetterLink.configure({ openOnClick: false, defaultProtocol: 'https' }),
      ...letterParts,
    ],
    content: toEditor(asHtml(body)),
    editorProps: {
      attributes: { 'aria-label': phrase('Body of the letter'), role: 'textbox', 'aria-multiline': 'true' },
      transformPastedHTML: (html) => toEditor(cleanPaste(html)),
    },
    onUpdate: ({ editor: e }) => latest.current({ body: e.isEmpty ? '' : fromEditor(e.getHTML()) }),
  });
  // What the tools show; the editor itself does not tell of each step of the cursor.
  const at = useEditorState({
    editor,
    selector: ({ editor: e }) => ({
      bold: e.isActive('bold'),
      italic: e.isActive('italic'),
      quote: e.isActive('blockquote'),
      table: e.isActive('table'),
      heading: e.isActive('heading'),
      list: e.isActive('bulletList'),
      numbers: e.isActive('orderedList'),
      link: e.isActive('link') ? e.getAttributes('link') : undefined,
      words: !e.state.selection.empty,
      image: e.isActive('image')
        ? {
            src: String(e.getAttributes('image').src),
            alt: String(e.getAttributes('image').alt ?? ''),
            width: Number(e.getAttributes('image').width) || undefined,
            side: String(e.getAttributes('image')['data-align'] ?? 'left'),
          }
        : undefined,
    }),
  });
  useEffect(() => {
    // Only when it opens, and never away from where somebody writes already: the editor comes after the rest of its page.
    if (!body && !subject && document.activeElement === document.body) line.current?.focus();
  }, []);

  function insert(text: string) {
    const input = line.current;
    if (last === 'subject' && input) {
      const at = input.selectionStart ?? subject.length;
      change({ subject: putIn(subject, text, at, input.selectionEnd ?? at)[0] });
    } else {
      editor
        ?.chain()
        .focus()
        .insertContent({ type: 'mergeField', attrs: { 'data-field': text } })
        .run();
    }
  }

  /** Puts something in below the paragraph the cursor stands in, never into the middle of its words; an empty one gives way to it. */
  function putBlock(...blocks: JSONContent[]) {
    const { $from, to } = editor.state.selection;
    const chain = editor.chain().focus();
    if (blocks[0]?.type === 'mergeField') chain.insertContent(blocks).run();
    // What is picked as a whole, such as where the sender signs, stays.
    else if ($from.depth === 0) chain.insertContentAt(to, blocks).run();
    else if ($from.parent.content.size === 0) chain.insertContentAt({ from: $from.before(), to: $from.after() }, blocks).run();
    else chain.insertContentAt($from.after(), blocks).run();
  }

  async function picture(chosen: File) {
    setTrouble(undefined);
    try {
      const { url } = await upload<Schemas['ImageDto']>('/api/images', chosen);
      setWaiting(url);
    } catch (e) {
      setTrouble(e);
    }
  }

  const tool = (word: string, on: boolean, run: () => void) => (
    <button
      type="button"
      className={`min-h-6 px-1.5 text-small ${on ? 'font-semibold text-leaf' : 'text-soft hover:text-ink'}`}
      aria-pressed={on}
      onMouseDown={(e) => e.preventDefault()}
      onClick={run}
    >
      {word}
    </button>
  );
  return (
    <div className="my-2 border border-rule bg-sheet font-sans text-base">
      <input
        ref={line}
        aria-label={phrase('Subject')}
        placeholder={phrase('Subject')}
        className="w-full !rounded-none !border-0 !border-b !border-rule !px-4 !py-2.5 font-serif !text-lead font-semibold"
        value={subject}
        onFocus={() => setLast('subject')}
        onChange={(e) => change({ subject: e.target.value })}
      />
      <div className="flex flex-wrap items-center gap-1 border-b border-rule px-2.5 py-1" role="toolbar" aria-label={phrase('Formatting')}>
        {tool(phrase('Bold'), at.bold, () => editor?.chain().focus().toggleBold().run())}
        {tool(phrase('Italic'), at.italic, () => editor?.chain().focus().toggleItalic().run())}
        {tool(phrase('Heading'), at.heading, () => editor?.chain().focus().toggleHeading({ level: 2 }).run())}
        {tool(phrase('List'), at.list, () => editor?.chain().focus().toggleBulletList().run())}
        {tool(phrase('Numbers'), at.numbers, () => editor?.chain().focus().toggleOrderedList().run())}
        <LinkTool
          href={at.link?.href as string | undefined}
          effects={effectsOf(at.link ?? {})}
          picked={at.words || at.link !== undefined}
          set={(href, effects, words) => {
            const chain = editor?.chain().focus();
            if (!href) chain?.extendMarkRange('link').unsetLink().run();
            else {
              const mark = { type: 'link', attrs: { href, ...attributesOf(effects) } };
              if (words)
                chain
                  ?.insertContent({ type: 'text', text: words, marks: [mark] })
                  .unsetMark('link')
                  .run();
              else chain?.extendMarkRange('link').setMark(mark.type, mark.attrs).run();
            }
          }}
        />
        <Menu trigger={phrase('Put in')} className="min-h-6 px-1.5 text-small text-leaf" focusElsewhere>
          <MenuItem choose={() => file.current?.click()}>{phrase('a picture')}</MenuItem>
          <MenuItem choose={() => setAddingButton(true)}>{phrase('a button')}</MenuItem>
          <MenuItem choose={() => setAddingFilm(true)}>{phrase('a film')}</MenuItem>
          {Object.entries(blocks).map(([words, block]) => (
            <MenuItem key={words} choose={() => putBlock(block)}>
              {words}
            </MenuItem>
          ))}
          <MenuItem choose={() => editor?.chain().focus().toggleBlockquote().run()}>
            {at.quote ? phrase('no quote any more') : phrase('a quote')}
          </MenuItem>
        </Menu>
        {at.table && (
          <Menu trigger={phrase('Table')} className="min-h-6 px-1.5 text-small text-leaf" focusElsewhere>
            {Object.entries(tableActs).map(([words, act]) => (
              <MenuItem
                key={words}
                choose={() => {
                  act(editor.state, editor.view.dispatch);
                  editor.commands.focus();
                }}
              >
                {words}
              </MenuItem>
            ))}
          </Menu>
        )}
        <input
          ref={file}
          type="file"
          accept="image/*"
          className="sr-only"
          aria-label={phrase('A picture for the letter')}
          tabIndex={-1}
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            if (chosen) picture(chosen);
            e.target.value = '';
          }}
        />
        <FieldsMenu className="ml-auto" insert={insert} />
      </div>
      {waiting && (
        <PictureWords
          words={undefined}
          use={(alt) => {
            editor?.chain().focus().setImage({ src: waiting, alt }).createParagraphNear().run();
            setWaiting(undefined);
          }}
          leave={() => setWaiting(undefined)}
        />
      )}
      {addingButton && (
        <ButtonForm
          use={(words, href) => {
            putBlock({ type: 'pressButton', content: [{ type: 'text', text: words, marks: [{ type: 'link', attrs: { href } }] }] });
            setAddingButton(false);
          }}
          leave={() => setAddingButton(false)}
        />
      )}
      {addingFilm && (
        <FilmForm
          use={(film) => {
            const watch = { type: 'text', text: `${film.name} (${film.length})`, marks: [{ type: 'link', attrs: { href: film.address } }] };
            const still = film.still
              ? [{ type: 'image', attrs: { src: film.still, alt: phrase('A still of the film: {film}', { film: film.name }) } }]
              : [];
            putBlock(...still, { type: 'pressButton', content: [watch] });
            setAddingFilm(false);
          }}
          leave={() => setAddingFilm(false)}
        />
      )}
      {!waiting && at.image && (
        <PictureWords
          key={at.image.src}
          words={at.image.alt}
          place={{ width: at.image.width, side: at.image.side }}
          use={(alt, place) =>
            editor
              .chain()
              .focus()
              .updateAttributes('image', { alt, width: place?.width ?? null, 'data-align': place?.side === 'left' ? null : place?.side })
              .run()
          }
          leave={() => {}}
        />
      )}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: only notes where the cursor was last */}
      <div className="letter writing px-4 py-3" onFocus={() => setLast('body')}>
        <EditorContent editor={editor} />
      </div>
      {(problems.length > 0 || Boolean(trouble)) && (
        <div className="border-t border-rule px-4 py-2 text-small text-ember" role="alert">
          {problems.map((p) => (
            <p key={p.message}>{p.message}</p>
          ))}
          <Trouble error={trouble} />
        </div>
      )}
    </div>
  );
}

const words = (text: string) => ({ type: 'paragraph', content: [{ type: 'text', text }] });
const column = (text: string) => ({ type: 'column', content: [words(text)] });
const row = (cells: string[], type: 'tableHeader' | 'tableCell') => ({
  type: 'tableRow',
  content: cells.map((text) => ({ type, content: [words(text)] })),
});

/** What can be put in where the cursor stands, with words that say what goes there. */
const blocks: Record<string, JSONContent> = {
  [phrase('two columns')]: { type: 'columns', content: [column(phrase('On the left')), column(phrase('On the right'))] },
  [phrase('three columns')]: { type: 'columns', content: [column(phrase('First')), column(phrase('Second')), column(phrase('Third'))] },
  [phrase('a table')]: {
    type: 'table',
    content: [
      row([phrase('What'), phrase('How much')], 'tableHeader'),
      row([phrase('One'), '1'], 'tableCell'),
      row([phrase('Two'), '2'], 'tableCell'),
    ],
  },
  [phrase('a line across')]: { type: 'horizontalRule' },
  [phrase('an offer')]: { type: 'offer' },
  [phrase('a form')]: { type: 'form' },
  [phrase('figures of their area')]: { type: 'figures', attrs: { 'data-field': 'city' } },
  [phrase('a passage only for some')]: {
    type: 'onlyFor',
    attrs: { 'data-rule': JSON.stringify({ field: 'tags', op: 'has', value: 'Client' }) },
    content: [words(phrase('What only they read.'))],
  },
  [phrase('two wordings, I and we')]: { type: 'mergeField', attrs: { 'data-field': '{{ "I am" | we: "we are" }}' } },
  [phrase('where the sender signs')]: { type: 'signOff' },
};

/** A body written without tags becomes paragraphs, as when it is sent. */
function asHtml(body: string) {
  if (/<(p|h[1-3]|ul|ol|strong|em|br|hr|a|img|blockquote|table|div)\b/i.test(body)) return body;
  return body
    .split(/\n\n+/)
    .filter(Boolean)
    .map((p) => `<p>${p.replaceAll('\n', '<br>')}</p>`)
    .join('');
}
