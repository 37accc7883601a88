// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { cleanPaste } from './cleanPaste';

describe('what is pasted', () => {
  it('loses styles, notes and empty paragraphs of a word processor', () => {
    expect(
      cleanPaste(
        '<html><head><style>p{color:red}</style></head><body><!--StartFragment--><p class="MsoNormal" style="margin:0">Dear <span lang="EN">Ida</span><o:p></o:p></p><p class="MsoNormal"><o:p>&nbsp;</o:p></p><!--EndFragment--></body></html>',
      ),
    ).toBe('<p>Dear <span>Ida</span></p>');
  });

  it('makes lists of paragraphs that were drawn as such, and keeps numbers apart from dots', () => {
    const item = (mark: string, words: string) =>
      `<p class="MsoListParagraphCxSpFirst" style="mso-list:l0 level1 lfo1"><span style="mso-list:Ignore">${mark}<span>&nbsp;&nbsp;</span></span>${words}</p>`;
    expect(cleanPaste(item('·', 'one') + item('·', 'two'))).toBe('<ul><li><p>one</p></li><li><p>two</p></li></ul>');
    expect(cleanPaste('<p class="MsoListParagraph">1.&nbsp; one</p><p class="MsoListParagraph">2.&nbsp; two</p><p>after</p>')).toBe(
      '<ol><li><p>one</p></li><li><p>two</p></li></ol><p>after</p>',
    );
  });

  it('keeps what was bold or slanted by a style, and unwraps a bold that is none', () => {
    expect(
      cleanPaste(
        '<b style="font-weight:normal"><p>a <span style="font-weight:700">b</span> <span style="font-style:italic">c</span></p></b>',
      ),
    ).toBe('<p>a <strong>b</strong> <em>c</em></p>');
  });

  it('leaves what is clean as it is', () => {
    const clean = '<h2>One</h2><p>two <a href="https://example.com/">three</a></p><ul><li><p>four</p></li></ul>';
    expect(cleanPaste(clean)).toBe(clean);
  });

  it('survives what is no HTML at all, and runs nothing', () => {
    expect(cleanPaste('<<<< a > b')).toContain('a &gt; b');
    expect(cleanPaste('<p>x</p><script>alert(1)</script>')).toBe('<p>x</p>');
  });
});
