import type { ReadBack } from "../core/model/edge.ts";
import type { Sha256, UrlPath } from "../core/model/names.ts";
import type { VisitorAnswer } from "../core/model/visitor-answer.ts";
import { judgeReadBack, toPlainEtag, type ReadBackVerdict } from "../core/edges/read-back.ts";
import { listSpellings } from "../core/addresses/spellings.ts";
import type { Edge } from "../ports/edge.ts";

/** Contents that ever stood under addresses. */
export type EarlierContents = ReadonlyMap<UrlPath, ReadonlySet<Sha256>>;

export interface ReaderFacts {
  /** An address that nobody knows. */
  readonly unknownAddress: UrlPath;
  /** Read only where an answer is neither right nor 'not found'. */
  readonly loadEarlier: () => Promise<EarlierContents>;
  readonly isVaulted: (hash: Sha256) => boolean;
}

/** Something about an address that is not as it should be, with its form and its status. */
export interface WrongAnswer {
  readonly check: ReadBack;
  readonly verdict: Exclude<ReadBackVerdict, "right">;
  readonly held: string;
}

/** Reads back what an edge answers, in every form at every place of it. */
export class EdgeReader {
  private readonly unknown = new Map<string, Promise<VisitorAnswer | undefined>>();
  private earlier: Promise<EarlierContents> | undefined;

  constructor(
    private readonly edge: Edge,
    private readonly facts: ReaderFacts,
  ) {}

  /** @returns the first thing that is wrong; undefined: all is right */
  async read(check: ReadBack): Promise<WrongAnswer | undefined> {
    let foreign: WrongAnswer | undefined;
    const asked = this.edge.places.flatMap((place) =>
      listSpellings(check.address).map((address) => ({ place, address })),
    );
    for (const { place, address } of asked) {
      const rightEtags = new Set<string>();
      for (const form of this.edge.forms) {
        const answer = await this.edge.look(address, { place, form });
        const verdict = await this.judge(check, answer, { place, rightEtags });
        const etag = answer?.headers.etag;
        if (verdict === "right") {
          if (etag !== undefined) rightEtags.add(toPlainEtag(etag));
          continue;
        }
        const shown = form === "" ? "" : ` for Accept-Encoding ${form}`;
        const held = `${address}${shown} (${answer?.status ?? "no answer"}, ${place})`;
        // Where an edge changes what it passes on, what is old may still be found further on.
        if (verdict !== "foreign") return { check, verdict, held };
        foreign ??= { check, verdict, held };
      }
    }
    return foreign;
  }

  private async judge(
    check: ReadBack,
    answer: VisitorAnswer | undefined,
    { place, rightEtags }: { readonly place: string; readonly rightEtags: ReadonlySet<string> },
  ): Promise<ReadBackVerdict> {
    const unknown = check.right.kind === "missing" ? await this.askUnknown(place) : undefined;
    const verdict = judgeReadBack(check, answer, { unknown, rightEtags });
    if (verdict !== "foreign") return verdict;
    // A release that is no longer retained may have had it.
    if (answer?.hash !== undefined && this.facts.isVaulted(answer.hash)) return "old";
    this.earlier ??= this.facts.loadEarlier();
    const earlier = (await this.earlier).get(check.address);
    return judgeReadBack(check, answer, { unknown, rightEtags, earlier });
  }

  private askUnknown(place: string): Promise<VisitorAnswer | undefined> {
    const known = this.unknown.get(place) ?? this.edge.look(this.facts.unknownAddress, { place, form: "" });
    this.unknown.set(place, known);
    return known;
  }
}
