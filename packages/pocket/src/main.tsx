import { createRoot } from 'react-dom/client';
import { Pocket } from './pocket.js';
import './pocket.css';
import { language, words } from './words.js';

document.documentElement.lang = language;
document.title = words.title;
createRoot(document.getElementById('root')!).render(<Pocket />);
