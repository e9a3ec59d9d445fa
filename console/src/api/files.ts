import { api, type Schemas, take } from "./client";

export type Wish = Omit<Schemas["LoadColumns"], "by" | "drivers" | "known_ahead" | "where"> & {
  by?: string[];
  drivers?: string[];
  known_ahead?: string[];
  where?: string[];
};

/** Names apart by commas, in double quotes where they hold one. */
export const names = (list: string[]) =>
  list.map((n) => (/[",]/.test(n) ? `"${n.replaceAll('"', '""')}"` : n)).join(",");

/** How much of a large text file is sent for a look. */
const lookSize = 8 << 20;

/** The query of a load, as the service spells it. */
function query(wish: Wish, file: File) {
  const { drivers, by, known_ahead, where, ...rest } = wish;
  const plain = Object.fromEntries(
    Object.entries(rest).filter(([, v]) => v !== "" && v !== undefined && v !== false),
  );
  return {
    ...plain,
    ...(by?.length ? { by: [names(by)] } : {}),
    ...(drivers?.length ? { driver: [names(drivers)] } : {}),
    ...(known_ahead?.length ? { known_ahead: [names(known_ahead)] } : {}),
    ...(where ? { where } : {}),
    file: file.name,
  };
}

const asFile = {
  querySerializer: { array: { style: "form", explode: true } },
  bodySerializer: (b: unknown) => b as never,
  headers: { "Content-Type": "application/octet-stream" },
} as const;

/** The whole lines at the start of a large text file; other files whole. */
async function start(file: File): Promise<Blob> {
  if (file.size <= lookSize || !/\.(csv|tsv|txt|jsonl|ndjson)$/i.test(file.name)) return file;
  const head = new Uint8Array(await file.slice(0, lookSize).arrayBuffer());
  return file.slice(0, head.lastIndexOf(10) + 1);
}

export async function inspect(file: File, wish: Wish, onto: string): Promise<Schemas["Inspected"]> {
  const body = (await start(file)) as never;
  return take(api.POST("/inspect", { params: { query: { ...query(wish, file), onto } }, body, ...asFile }));
}

/** A forecast of the file's series at once; nothing is kept. */
export function forecastOnce(
  file: File,
  wish: Wish,
  ask: { horizon: number; history: number },
): Promise<Schemas["Forecast"]> {
  const { drivers: _, known_ahead: __, closed: ___, ...plain } = wish;
  const params = { query: { ...query(plain, file), ...ask } };
  return take(api.POST("/forecast", { params, body: file as never, ...asFile }));
}

export function load(dataset: string, file: File, wish: Wish): Promise<Schemas["Loaded"]> {
  const params = { path: { dataset }, query: query(wish, file) };
  return take(api.POST("/datasets/{dataset}/loads", { params, body: file as never, ...asFile }));
}
