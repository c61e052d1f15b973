// Parts of the kit that are drawn anew only when what they show changes.
import {
  createElement,
  memo,
  useLayoutEffect,
  useRef,
  useState,
  type ComponentType,
  type ReactNode,
} from "react";

type Handler = ((...given: unknown[]) => unknown) | undefined;

/** The component, which does not mind that its `handler` is another function whenever its sheet is drawn: a key
 * pressed in one field leaves the thirty beside it alone. The newest handler is the one that is called. */
export function steady<Component extends (props: never) => ReactNode>(
  component: Component,
  handler: keyof Parameters<Component>[0] & string,
): Component {
  const Still = memo(component as unknown as ComponentType<Record<string, unknown>>);
  function Steady(props: Record<string, unknown>) {
    const given = props[handler] as Handler;
    const newest = useRef(given);
    useLayoutEffect(() => {
      newest.current = given;
    });
    const [call] = useState(
      () =>
        (...values: unknown[]) =>
          newest.current?.(...values),
    );
    return createElement(Still, given ? { ...props, [handler]: call } : props);
  }
  return Steady as unknown as Component;
}
