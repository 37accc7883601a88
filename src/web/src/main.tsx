import './index.css';
import { catalogueOf, keptTongue, speak } from './words/locale';

// The words come first: what is said is said where it stands, in every file that is read after this one.
const tongue = keptTongue();
speak(tongue, await catalogueOf(tongue));
document.documentElement.lang = tongue;
await import('./start');
