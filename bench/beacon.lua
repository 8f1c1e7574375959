-- One event a request, each with an id of its own. Argument: milliseconds to wait between requests, 0 for none.
local wait = 0
local hex = function(n)
  local parts = {}
  for i = 1, n / 8 do parts[i] = string.format("%08x", math.random(0, 4294967295)) end
  return table.concat(parts)
end
function init(args)
  wait = tonumber(args[1]) or 0
  math.randomseed(tonumber(tostring({}):sub(8), 16) or os.time())
end
function delay() return wait > 0 and math.random(0, 2 * wait) or 0 end
function request()
  local path = ({ "/", "/starter-hive", "/workshops", "/order/thank-you" })[math.random(4)]
  local body = '{"visitor":"' .. hex(32) .. '","device":"phone","viewport":[390,844],"events":[{"id":"' .. hex(32)
    .. '","kind":"view","age":' .. math.random(0, 900) .. ',"url":"https://shop.example' .. path
    .. '?utm_source=meadow-feed&utm_medium=cpc&utm_campaign=starter-autumn&utm_term=garden-owners&utm_content=smoke-and-honey'
    .. '","title":"Start with one hive","referrer":"https://meadowgram.example/"}]}'
  return wrk.format("POST", nil, { ["content-type"] = "text/plain" }, body)
end
