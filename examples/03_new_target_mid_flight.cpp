// A boom lamp is sent somewhere else while it is still swinging: where it is and how fast it moves
// are never lost, whatever changes.

#include <cstdio>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/spring/named_tunings.hpp>

int main() {
    hopcoil::Follower<double> lamp{*hopcoil::find_tuning("lively"), 0.0};
    const auto show = [&lamp](const char* what) {
        std::printf("%-28s at %+.3f m, moving %+.2f m/s\n", what, lamp.value(), lamp.velocity());
    };

    lamp.jump(1.0);
    lamp.step(1.0, 0.15);
    show("0.15 s on the way to 1");
    lamp.jump(-1.0);  // called back in mid-flight
    show("sent to -1 instead");
    lamp.retune(*hopcoil::find_tuning("weighty"));  // and made heavier at the same time
    show("made heavier");
    lamp.step(-1.0, 0.1);
    show("0.1 s later");
    lamp.step(-1.0, 60.0);  // a minute in one step: no step is too long
    show("a minute later");
}
