/** One statement of a policy, in the form that stores of this protocol read (`Version: 2012-10-17`). */
export interface PolicyStatement {
  readonly Sid?: string;
  readonly Effect: "Allow" | "Deny";
  readonly Principal?: "*" | Readonly<Record<string, string | readonly string[]>>;
  readonly NotPrincipal?: Readonly<Record<string, string | readonly string[]>>;
  readonly Action: string | readonly string[];
  readonly Resource?: string | readonly string[];
  readonly NotResource?: string | readonly string[];
  readonly Condition?: Readonly<Record<string, Readonly<Record<string, string | readonly string[]>>>>;
}

export interface Policy {
  readonly Version: string;
  readonly Statement: readonly PolicyStatement[];
}
