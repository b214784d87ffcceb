import type { Router } from 'express';

/** `METHOD PATH` of every route below a router. */
export const routesOf = ({ stack }: Router): string[] =>
  stack.flatMap((layer) => {
    if (layer.route)
      // A route may have several handlers for one method.
      return [
        ...new Set(layer.route.stack.map(({ method }) => `${method.toUpperCase()} ${layer.route!.path}`)),
      ];
    const inner = layer.handle as Partial<Router>;
    return inner.stack ? routesOf(inner as Router) : [];
  });
