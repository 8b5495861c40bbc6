import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { VitePWA } from 'vite-plugin-pwa';

export default defineConfig({
  plugins: [
    react(),
    VitePWA({
      strategies: 'injectManifest',
      srcDir: 'src',
      filename: 'sw.ts',
      injectRegister: null,
      // The page itself is served with a nonce: the worker keeps it as it was answered.
      injectManifest: { globPatterns: ['assets/*.{js,css,woff2}', '*.svg'] },
      manifest: {
        name: 'Bold Cellmend',
        short_name: 'Cellmend',
        description: 'Bench companion for traction battery technicians',
        start_url: '/',
        display: 'standalone',
        background_color: '#eef1f0',
        theme_color: '#0b5260',
        icons: [{ src: '/mark.svg', sizes: 'any', type: 'image/svg+xml', purpose: 'any' }],
      },
    }),
  ],
  worker: { format: 'es' },
  build: {
    chunkSizeWarningLimit: 1500,
    assetsInlineLimit: 0,
    manifest: true,
    // What every page needs lies in one piece: it packs closer than in several.
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            {
              name: 'frame',
              test: /node_modules[\\/](react|react-dom|scheduler|styled-components|stylis|clsx)[\\/]|react-aria.*[\\/](useButton|Button|LiveAnnouncer|usePress|useHover|useFocusRing|useFocusVisible|utils)\./,
            },
          ],
        },
      },
    },
  },
});
