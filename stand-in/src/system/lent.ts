/** Where the sockets of what is lent lie on a board. */
export const LENT_FOLDER = '/run/board/lent';

/** Carries ports of the loopback that a program on the board has to the sockets of what was lent to it. */
export const lent = `#!/usr/bin/perl
use strict;
use IO::Socket::INET;
use IO::Socket::UNIX;
$SIG{CHLD} = "IGNORE";
my ($from, $to);
# One port may be lent while the work goes on: they are looked for again and again.
my %there;
while (1) {
    for my $path (glob "${LENT_FOLDER}/*") {
        my ($port) = $path =~ m{/(\\d+)$} or next;
        next if $there{$port}++;
        next if fork;
        my $door = IO::Socket::INET->new(LocalAddr => "127.0.0.1", LocalPort => $port, Listen => 9, ReuseAddr => 1) or exit 1;
        while ($from = $door->accept) {
            # Whoever waits here keeps nothing open.
            if (fork) { close $from; next }
            $to = IO::Socket::UNIX->new(Peer => $path) or exit 1;
            my ($in, $out) = fork ? ($from, $to) : ($to, $from);
            my $data;
            while (sysread $in, $data, 65536) { syswrite $out, $data or last }
            shutdown $out, 1;
            exit 0;
        }
        exit 0;
    }
    select undef, undef, undef, 0.1;
}
`;
