export interface Piece {
  readonly kind: "text" | "tag" | "name" | "value";
  readonly text: string;
}

/** Markup in pieces to be coloured: tags, the names of attributes, their values, and what is said. */
export function coloured(markup: string): Piece[] {
  const found: Piece[] = [];
  const put = (kind: Piece["kind"], text: string) => text && found.push({ kind, text });
  let at = 0;
  let inTag = false;
  for (const tag of markup.matchAll(/<\/?[\w:.?-]+|[/?]?>/g)) {
    // What stands between two signs is a tag's attributes where the first of them opened one.
    const between = markup.slice(at, tag.index);
    if (inTag) {
      let inside = 0;
      for (const value of between.matchAll(/"[^"]*"|'[^']*'/g)) {
        put("name", between.slice(inside, value.index));
        put("value", value[0]);
        inside = value.index + value[0].length;
      }
      put("name", between.slice(inside));
    } else put("text", between);
    put("tag", tag[0]);
    inTag = tag[0].startsWith("<");
    at = tag.index + tag[0].length;
  }
  put("text", markup.slice(at));
  return found;
}

export interface Sentence {
  /** Where it begins in the markup. */
  readonly at: number;
  readonly words: string;
  /** What is marked in it, each with the attributes that say how. */
  readonly marks: readonly string[];
}

/** The sentences of some markup, without it. */
export function sentences(markup: string): Sentence[] {
  return [...markup.matchAll(/<s\b[^>]*>([\s\S]*?)<\/s>/g)].map((found) => {
    const inside = found[1] ?? "";
    const marks = [...inside.matchAll(/<([\w:-]+)((?:\s[^<>]*?)?)\/?>/g)].map((tag) => `${tag[1]} ${[...(tag[2] ?? "").matchAll(/="([^"]*)"/g)].map((value) => value[1]).join(" ")}`.trim());
    const words = inside.replace(/<[^>]*>/g, "").replace(/&lt;/g, "<").replace(/&gt;/g, ">").replace(/&amp;/g, "&");
    return { at: found.index, words: words.replace(/\s+/g, " ").trim(), marks };
  });
}
