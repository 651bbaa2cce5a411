// A body is pushed harder and harder: it sways, steps, and at last falls and gets up again. Beside
// it stands what a torque from outside would have changed. Then it walks, and leans into a wind.
#include <cstdio>

#include <hopcoil/parts/balance.hpp>

using namespace hopcoil;

namespace {

/// Stands, is pushed backward, and has five seconds.
Balance pushed(double speed, double help) {
    const FlatGround deck;
    BalanceSettings settings{.build = body_of_height(1.78, 78)};
    settings.help = help;
    Balance deckhand{settings, deck, {0, 0, 0}};
    for (int frame = 0; frame < 330; ++frame) {
        if (frame == 30) deckhand.push({0.2 * speed, 0, -speed});
        deckhand.step({.ground = &deck}, 1.0 / 60);
    }
    return deckhand;
}

const char* outcome(const Balance& body) {
    if (body.log().falls > 0)
        return body.state() == BalanceState::stands ? "fell, stands again" : "fell";
    return body.log().catches > 0 ? "caught itself" : "swayed";
}

}  // namespace

int main() {
    std::printf("push, m/s     by itself                helped by 0.2 m g h\n");
    for (const double speed : {0.1, 0.5, 1.0, 1.5, 2.0, 3.0}) {
        const Balance alone = pushed(speed, 0);
        const Balance helped = pushed(speed, 0.2);
        std::printf("%8.1f      %-18s %d steps   %-18s %d steps, %.2f used\n", speed,
                    outcome(alone), static_cast<int>(alone.log().steps), outcome(helped),
                    static_cast<int>(helped.log().steps), helped.log().most_help);
    }
    // Along the deck and back: velocity and facing are all that it is told.
    const FlatGround deck;
    Balance deckhand{{}, deck, {0, 0, 0}};
    for (int frame = 0; frame < 600; ++frame) {
        const Vector3 to = deckhand.toward({0, 0, frame < 300 ? 3.0 : 0.5}, {});
        deckhand.step({.velocity = to, .ground = &deck}, 1.0 / 60);
        if (frame % 100 != 99) continue;
        std::printf("%4.1f s: at %.2f m, %d steps, left foot %s\n", (frame + 1) / 60.0,
                    deckhand.centre_of_mass().z, static_cast<int>(deckhand.log().steps),
                    deckhand.feet()[0].planted ? "down" : "up");
    }
    for (const double speed : {0.0, 8.0, 14.0}) {
        const Wind wind{{.mean_m_per_s = {0, 0, speed}, .spread_m_per_s = 0}};
        Balance blown{{}, deck, {0, 0, 0}};
        for (int frame = 1; frame <= 360; ++frame)
            blown.step({.ground = &deck, .wind = &wind, .time_s = frame / 60.0}, 1.0 / 60);
        std::printf("wind of %2.0f m/s: leans by %3.0f mm, the ground holds it with %3.0f N\n",
                    speed, -1000 * (blown.centre_of_mass().z - blown.feet()[0].position.z),
                    -blown.ground_force().z + 0.0);
    }
    return deckhand.log().falls == 0 ? 0 : 1;
}
