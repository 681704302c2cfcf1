import '@fontsource-variable/inter';
import '@fontsource-variable/jetbrains-mono';
import './styles.css';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { App } from './App.js';
import { holdAgain } from './components/trial.js';
import { applyTheme } from './shell/theme.js';

applyTheme();
holdAgain();
// Rungs are laid out by the width of their labels: with the font there first, the same rung always looks the same.
await Promise.race([
  document.fonts.load('600 12.5px "Inter Variable"'),
  new Promise((r) => {
    setTimeout(r, 2000);
  }),
]);
createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <App />
  </StrictMode>,
);
