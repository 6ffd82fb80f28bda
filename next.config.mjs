// Cross-origin isolation (for SharedArrayBuffer). Pages get their content security policy from proxy.ts; what is no page may load nothing.
const policy = "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; object-src 'none'; frame-ancestors 'none'";

const headers = [
  { key: "Cross-Origin-Opener-Policy", value: "same-origin" },
  { key: "Cross-Origin-Embedder-Policy", value: "require-corp" },
  { key: "Cross-Origin-Resource-Policy", value: "same-origin" },
  { key: "X-Content-Type-Options", value: "nosniff" },
  { key: "Referrer-Policy", value: "no-referrer" },
];

/** @type {import("next").NextConfig} */
const config = {
  reactStrictMode: true,
  poweredByHeader: false,
  devIndicators: false,
  // Types are a step of `npm test` by themselves.
  typescript: { ignoreBuildErrors: true },
  headers: async () => [
    { source: "/:path*", headers },
    ...["/_next/:path*", "/engine/:path*", "/assets/:path*", "/demos/:path*"].map((source) => ({
      source,
      headers: [{ key: "Content-Security-Policy", value: policy }],
    })),
  ],
};

export default config;
