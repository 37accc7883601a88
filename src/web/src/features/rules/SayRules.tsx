import { phrase } from '../../words/phrase';
import { SayList } from '../programs/Say';
import { RuleForm } from './RuleForm';
import { partsOf, type Rule, ruleOf, sayRule } from './ruleLanguage';
import { useNames } from './useNames';

/**
 * A rule as part of a sentence that ends in “they”: its parts, each a control, joined by *and*.
 * @param none what stands there, and reads on, where there is no rule
 */
export function SayRules({
  rule,
  label,
  none,
  set,
}: {
  rule: Rule | undefined;
  label: string;
  none: string;
  set: (rule: Rule | undefined) => void;
}) {
  const names = useNames();
  const parts = partsOf(rule);
  return (
    <SayList
      items={parts}
      say={(part) => sayRule(part, names, parts.length > 1)}
      word={phrase('and')}
      label={label}
      none={none}
      more={phrase('and something else')}
      set={(rules) => set(ruleOf(rules))}
      form={(item, done) => <RuleForm label={phrase('Only if')} rule={item} done={done} />}
    />
  );
}
