/** Words that were sent and not answered: the server may have them all the same, and then it is nobody else who wrote them. */
export class Unanswered {
  private readonly sent = new Set<string>();

  send(words: string): void {
    this.sent.add(words.trim());
  }

  /** What was sent last has been answered: what went before it is settled by that. */
  answered(): void {
    this.sent.clear();
  }

  get some(): boolean {
    return this.sent.size > 0;
  }

  isOurs(words: string | undefined): boolean {
    return words !== undefined && this.sent.has(words.trim());
  }
}
