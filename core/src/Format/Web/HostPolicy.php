<?php

namespace Chorometra\Core\Format\Web;

use Chorometra\Core\Problem;

/**
 * Which hosts may be asked. On one's own machine any; where the application is served to others, none in private networks but those
 * listed, since who names an address there could look at what only this machine reaches.
 */
final class HostPolicy
{
    /** @var list<string>|null hosts, or hosts with ports, in private networks that may be asked; null where all may */
    private static ?array $listed = null;

    /** @param  list<string>|null  $listed  “archive.local”, “10.1.2.3:8080”; null lifts the limits */
    public static function limit(?array $listed): void
    {
        self::$listed = $listed === null ? null : array_map(strtolower(...), $listed);
    }

    /**
     * The address that a host of an URL is asked at, so that it is the one which was looked at; null where any may be asked.
     *
     * @return list<string>|null as curl's option RESOLVE takes it: an address that stands in the URL itself needs none
     *
     * @throws Problem where the host may not be reached
     */
    public static function pinned(string $url, string $what, string $about): ?array
    {
        if (self::$listed === null) {
            return null;
        }
        $parts = parse_url($url);
        $host = strtolower(trim((string) ($parts['host'] ?? ''), '[]'));
        $port = (int) ($parts['port'] ?? (strtolower((string) ($parts['scheme'] ?? '')) === 'https' ? 443 : 80));
        $isAddress = filter_var($host, FILTER_VALIDATE_IP) !== false;
        $addresses = $isAddress ? [$host] : self::lookUp($host);
        $authority = (str_contains($host, ':') ? "[$host]" : $host).":$port";
        if ($addresses === []) {
            throw new Unreachable("$what does not answer (there is no host $host): check the address, or try again later.", 3, $about);
        }
        if (! in_array($host, self::$listed, true) && ! in_array($authority, self::$listed, true)) {
            foreach ($addresses as $address) {
                if (! self::isPublic($address)) {
                    throw Problem::call(
                        "$what lies in a private network ($host), which is not contacted while Chorometra is served to others: list it in "
                            .'CHOROMETRA_PRIVATE_HOSTS first.',
                        $about,
                    );
                }
            }
        }

        return $isAddress ? [] : ["$authority:".(str_contains($addresses[0], ':') ? "[$addresses[0]]" : $addresses[0])];
    }

    public static function isPublic(string $address): bool
    {
        // an IPv4 address in another dress is looked at as what it is
        $packed = (string) @inet_pton($address);
        if (
            strlen($packed) === 16 &&
            (str_starts_with($packed, "\0\0\0\0\0\0\0\0\0\0\xff\xff") || str_starts_with($packed, "\0\x64\xff\x9b\0\0\0\0\0\0\0\0"))
        ) {
            $address = (string) inet_ntop(substr($packed, 12));
        }

        return filter_var($address, FILTER_VALIDATE_IP, FILTER_FLAG_NO_PRIV_RANGE | FILTER_FLAG_NO_RES_RANGE) !== false &&
            ! preg_match('/^100\.(6[4-9]|[7-9]\d|1[01]\d|12[0-7])\./', $address);
    }

    /** @return list<string> */
    private static function lookUp(string $host): array
    {
        $found = gethostbynamel($host) ?: [];
        foreach (@dns_get_record($host, DNS_AAAA) ?: [] as $record) {
            $found[] = (string) ($record['ipv6'] ?? '');
        }

        return array_values(array_filter($found));
    }
}
