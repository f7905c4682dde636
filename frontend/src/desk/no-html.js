// Stands in for the HTML, JavaScript and CSS languages, which the Markdown language would bring along (250 KB):
// raw HTML in a page is coloured as plain text.
import { LanguageSupport, StreamLanguage } from "@codemirror/language";

const plain = StreamLanguage.define({
  token(stream) {
    stream.skipToEnd();
    return null;
  },
});

export const html = () => new LanguageSupport(plain);
export const htmlCompletionSource = () => null;
