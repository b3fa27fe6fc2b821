import { createGlobalStyle } from 'styled-components';
import { colour, DARK, LIGHT, type } from './tokens.js';

const declare = (values: Readonly<Record<string, string>>) =>
  Object.entries(values)
    .map(([name, value]) => `--${name}: ${value};`)
    .join(' ');

export const GlobalStyle = createGlobalStyle`
  :root { color-scheme: light dark; ${declare(LIGHT)} }
  @media (prefers-color-scheme: dark) { :root:not([data-theme='light']) { ${declare(DARK)} } }
  :root[data-theme='dark'] { color-scheme: dark; ${declare(DARK)} }
  :root[data-theme='light'] { color-scheme: light; }
  *, *::before, *::after { box-sizing: border-box; }
  body { margin: 0; font-family: ${type.text}; font-size: ${type.base}; line-height: 1.5; color: ${colour.ink}; background: ${colour.paper}; font-variant-numeric: tabular-nums; }
  h1, h2, h3, p, ul, ol, dl, dd { margin: 0; padding: 0; }
  h1 { font-size: ${type.title}; font-weight: ${type.bold}; line-height: 1.2; }
  h2 { font-size: ${type.large}; font-weight: ${type.bold}; }
  a { color: ${colour.action}; }
  code { font-family: ${type.code}; }
  :focus-visible { outline: 2px solid ${colour.focus}; outline-offset: 2px; }
  @media (prefers-reduced-motion: reduce) { *, *::before, *::after { transition: none !important; animation: none !important; } }
`;
