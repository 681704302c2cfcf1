import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { type Plugin, defineConfig } from 'vite';
import { licences } from '../../scripts/licences.mjs';

const server = `http://127.0.0.1:${process.env['FERRULE_PORT'] ?? 4870}`;

/** The licences of what is installed, beside the page: shown under About. */
const withLicences: Plugin = {
  name: 'licences',
  generateBundle() {
    this.emitFile({ type: 'asset', fileName: 'licences.json', source: JSON.stringify(licences()) });
  },
};

export default defineConfig({
  plugins: [react(), tailwindcss(), withLicences],
  worker: { format: 'es' },
  build: { target: 'es2022', sourcemap: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': { target: server, ws: true } } },
});
