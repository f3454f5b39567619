on.call(function(n, t) total = (total or 0) + n; log(t, {x = 1}); for k, v in pairs({a = 1, 2}) do log(k, v) end end) list = {1, {2}} take({a = 1}, 3) string.format("%5.1f %s", 2, {})
